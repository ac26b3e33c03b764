/** The simulated outside world of the demo: partners' shops, a network that carries three of them, and a few other sites. Loopback only. */
import { createServer, type ServerResponse } from 'node:http'
import { bannerPng } from './banner.ts'
import { logbook } from './logbook.ts'

const SITES: Readonly<Record<string, { readonly name: string; readonly pages: Readonly<Record<string, string>> }>> = {
  'gannet-line': {
    name: 'Gannet & Line',
    pages: {
      '/': 'Waterproofs since the last storm',
      '/smocks/waxed': 'The waxed smock',
      '/boots/deck': 'Deck boots',
      '/caps/oilskin': 'The oilskin cap',
    },
  },
  'bothy-beds': {
    name: 'Bothy Beds',
    pages: { '/': 'Rooms with a rope', '/rooms/six-bunks': 'Six bunks', '/rooms/net-loft': 'The net loft' },
  },
  'contour-kiosk': {
    name: 'Contour Kiosk',
    pages: { '/': 'Maps for wet pockets', '/sheets/all': 'All sheets', '/sheets/14': 'Sheet 14: Skarrow and the holms' },
  },
  'kelp-lane-books': {
    name: 'Kelp Lane Books',
    pages: { '/': 'Books', '/books/reading-tides': 'Reading Tides', '/books/birds-of-the-skerries': 'Birds of the Skerries' },
  },
  ternwatch: { name: 'Ternwatch', pages: { '/': 'Ternwatch', '/hides/north': 'The northern hide' } },
  'harbour-weather': { name: 'Harbour Weather', pages: { '/': 'Harbour Weather', '/skarrow': 'Wind over Skarrow' } },
  'loft-prints': { name: 'Loft Prints', pages: { '/': 'Loft Prints', '/crossing': 'Photographs of the crossing' } },
  'ferry-society': { name: 'The Ferry Society', pages: { '/': 'The Ferry Society', '/history': 'Every boat that ever crossed' } },
}

const escapeHtml = (text: string): string => text.replace(/[&<>"]/g, (mark) => `&#${mark.charCodeAt(0)};`)

function page(response: ServerResponse, status: number, title: string, site: string, note: string): void {
  const body = `<!doctype html><html lang="en"><meta charset="utf-8"><title>${escapeHtml(title)} · ${escapeHtml(site)}</title><body style="font:18px/1.6 system-ui;margin:12vh auto;max-width:36rem;padding:0 1rem"><p>${escapeHtml(site)}</p><h1>${escapeHtml(title)}</h1><p>${escapeHtml(note)}</p></body></html>`
  response.writeHead(status, { 'Content-Type': 'text/html; charset=utf-8', 'Content-Length': Buffer.byteLength(body) }).end(body)
}

const port = Number(process.env.MAPROPE_STAND_INS_PORT ?? 4301)
const server = createServer((request, response) => {
  const url = new URL(request.url ?? '/', `http://${request.headers.host ?? 'localhost'}`)
  const name = url.hostname.replace(/\.localhost$/, '')
  if (name === 'tidemark') {
    const hop = /^\/c\/(\d+)\/([a-z-]+)$/.exec(url.pathname)
    const shop = hop?.[2]
    if (shop === undefined || SITES[shop] === undefined)
      return page(response, 404, 'No such programme', 'Tidemark', 'Ask the programme for its address.')
    const target = new URL(url.searchParams.get('to') ?? '/', `http://${shop}.localhost:${port}`)
    target.searchParams.set('p', hop?.[1] ?? '')
    response.writeHead(301, { Location: target.href, 'Content-Length': '0' }).end()
    return
  }
  if (name === 'logbook') return logbook(url, request.headers, response, port)
  const site = SITES[name]
  if (site === undefined) return page(response, 404, 'Nobody here', 'The stand-ins', 'No stand-in goes by this name.')
  if (url.pathname === '/banner.png') {
    const picture = bannerPng()
    return void response.writeHead(200, { 'Content-Type': 'image/png', 'Content-Length': picture.length }).end(picture)
  }
  // A shop that was rebuilt in a hurry: who sent a visitor is forgotten on the way.
  if (name === 'contour-kiosk' && url.pathname === '/sheets')
    return void response.writeHead(301, { Location: '/sheets/all', 'Content-Length': '0' }).end()
  const title = site.pages[url.pathname]
  if (title === undefined) return page(response, 404, 'Not found', site.name, 'This page has moved or never was.')
  const number = url.searchParams.get('p') ?? url.searchParams.get('ref') ?? url.searchParams.get('a') ?? url.searchParams.get('via')
  page(response, 200, title, site.name, number === null ? 'You came on your own.' : `You came by way of partner ${number}.`)
})
server.on('error', (error: NodeJS.ErrnoException) => {
  console.error(error.code === 'EADDRINUSE' ? `Port ${port}, for the demo's stand-ins, is taken by another program.` : error.message)
  process.exit(1)
})
server.listen(port, '127.0.0.1', () => process.send?.('ready'))
process.on('disconnect', () => process.exit(0))
process.on('SIGTERM', () => process.exit(0))
