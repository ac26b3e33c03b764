import { createHash } from 'node:crypto'
import { createReadStream } from 'node:fs'
import { readFile } from 'node:fs/promises'
import type { IncomingMessage, ServerResponse } from 'node:http'
import { normalise } from '../core/address/index.ts'
import { deliverBytes, type PageNotes } from '../core/content/index.ts'
import type { Delivery } from './delivery.ts'
import { frontDoor } from './front-door/index.ts'
import { room } from './room.ts'
import { say } from './say.ts'
import type { CompiledSnapshot, HostEntry } from './snapshot.ts'

/** Bytes of rewritten pages kept ready; the oldest go first. */
const DELIVERED_MAX_BYTES = 64 * 1024 * 1024

/** Answers a request for a host of the snapshot. The request sees this one snapshot, whatever comes meanwhile (invariant 2). */
export function respond(
  delivery: Delivery,
  snapshot: CompiledSnapshot,
  entry: HostEntry,
  host: string,
  request: IncomingMessage,
  response: ServerResponse,
): void {
  const url = request.url ?? '/'
  const query = url.indexOf('?')
  const path = query === -1 ? url : url.slice(0, query)
  if (entry.kind === 'door') return frontDoor(delivery, snapshot, entry, host, request, response)
  if (entry.kind === 'short') return shortLink(delivery, entry, host, path, request, response)
  if (request.method !== 'GET' && request.method !== 'HEAD')
    return say(response, 405, 'This page can only be read.', request.method, { Allow: 'GET, HEAD' })
  content(delivery, snapshot, entry, path, url.slice(path.length), request, response).catch((error: unknown) => {
    delivery.log.error({ err: error, path }, 'a page could not be delivered')
    if (!response.headersSent) say(response, 500, 'Something went wrong here. Please try again in a moment.', request.method)
    else response.destroy()
  })
}

function shortLink(
  { clicks, visitors }: Delivery,
  entry: HostEntry,
  host: string,
  path: string,
  request: IncomingMessage,
  response: ServerResponse,
): void {
  const { method } = request
  if (method !== 'GET' && method !== 'HEAD') return say(response, 405, 'A short link can only be followed.', method, { Allow: 'GET, HEAD' })
  const found = entry.site.shortLinks.match(host, path)
  if (found === null) return say(response, 404, path === '/' ? entry.site.setup.name : 'There is no short link of this name.', method)
  // Kept by nobody, so that each click is seen and a changed destination holds at once.
  response.writeHead(found.status, [
    'Location',
    found.location,
    'Cache-Control',
    'private, no-store',
    'X-Robots-Tag',
    'noindex, nofollow',
    'Content-Length',
    '0',
  ])
  clicks.append(visitors.clickLine(request, found.id, Date.now()), () => response.end())
}

async function content(
  delivery: Delivery,
  snapshot: CompiledSnapshot,
  entry: HostEntry,
  path: string,
  query: string,
  request: IncomingMessage,
  response: ServerResponse,
): Promise<void> {
  const place = locate(entry, path)
  if (place === null) return say(response, 404, 'There is no page at this address.', request.method)
  if ('moved' in place) {
    response.writeHead(301, { Location: place.moved + query, 'Content-Length': '0' }).end()
    return
  }
  if ('page' in place) {
    const { bytes, etag } = await deliveredPage(delivery, snapshot, entry, place.page)
    const headers = { 'Content-Type': `text/html; charset=${place.page.encoding}`, ETag: etag, 'Cache-Control': 'no-cache' }
    if (isFresh(request, etag)) return void response.writeHead(304, headers).end()
    response.writeHead(200, { ...headers, 'Content-Length': bytes.length })
    response.end(request.method === 'HEAD' ? undefined : bytes)
    return
  }
  sendFile(delivery, place.file, request, response)
}

type LivePage = { path: string; hash: string; encoding: string; waiting: readonly string[] } & PageNotes

type Place = { page: LivePage } | { file: { hash: string; mediaType: string; bytes: number } } | { moved: string }

/** Finds what a path names, tolerant of percent-encoding, index files and the closing slash. */
function locate({ pages, files, site }: HostEntry, path: string): Place | null {
  const plain = pages.has(path) || files.has(path) ? path : pathnameOf(normalise(path, site.origin) ?? path)
  const page = pages.get(plain)
  if (page !== undefined) return { page }
  const file = files.get(plain)
  if (file !== undefined) return { file }
  const folder = plain.replace(/\/index\.html?$/i, '/')
  const index = pages.get(folder)
  if (index !== undefined) return { page: index }
  const other = plain.endsWith('/') ? plain.slice(0, -1) : `${plain}/`
  return other !== '' && pages.has(other) ? { moved: other } : null
}

const pathnameOf = (address: string): string => (address.startsWith('/') ? address : new URL(address).pathname)

async function deliveredPage({ store, log }: Delivery, snapshot: CompiledSnapshot, { site, findPart }: HostEntry, page: LivePage) {
  const key = `${site.setup.siteId} ${page.path}`
  const ready = snapshot.delivered.get(key)
  if (ready !== undefined) return ready
  const stored = await readFile(store.blobFile(page.hash))
  const answer = deliverBytes(stored, page.encoding, site, { ...page, findPart }, room)
  if (!answer.ok) log.warn({ page: page.path, encoding: page.encoding }, 'rules cannot be written into this page; delivered as stored')
  const bytes = answer.ok ? Buffer.from(answer.value) : stored
  const made = { bytes, etag: `"${createHash('sha256').update(bytes).digest('hex').slice(0, 24)}"` }
  keepDelivered(snapshot, key, made)
  return made
}

function keepDelivered({ delivered }: CompiledSnapshot, key: string, made: { bytes: Buffer; etag: string }): void {
  delivered.set(key, made)
  let kept = 0
  for (const { bytes } of delivered.values()) kept += bytes.length
  for (const [oldest, { bytes }] of delivered) {
    if (kept <= DELIVERED_MAX_BYTES) break
    delivered.delete(oldest)
    kept -= bytes.length
  }
}

function isFresh(request: IncomingMessage, etag: string): boolean {
  const known = request.headers['if-none-match']
  return known !== undefined && (known === '*' || known.split(',').some((each) => each.trim().replace(/^W\//, '') === etag))
}

function sendFile(
  { store, log }: Delivery,
  file: { hash: string; mediaType: string; bytes: number },
  request: IncomingMessage,
  response: ServerResponse,
): void {
  const etag = `"${file.hash.slice(0, 24)}"`
  const headers: Record<string, string | number> = {
    'Content-Type': file.mediaType,
    ETag: etag,
    'Cache-Control': 'no-cache',
    'Accept-Ranges': 'bytes',
    'X-Content-Type-Options': 'nosniff',
    // Nothing in a file may run when it is opened by itself. A document's viewer is the browser's own, and needs to be let.
    'Content-Security-Policy':
      file.mediaType === 'application/pdf'
        ? "script-src 'none'; base-uri 'none'"
        : "sandbox; default-src 'none'; style-src 'unsafe-inline'; img-src 'self' data:; media-src 'self'; font-src 'self' data:",
  }
  // Web fonts are only loaded across origins where the server allows it; the studio shows pages in a frame of no origin.
  if (file.mediaType.startsWith('font/')) headers['Access-Control-Allow-Origin'] = '*'
  if (isFresh(request, etag)) return void response.writeHead(304, headers).end()
  const range = rangeOf(request.headers.range, file.bytes)
  if (range === 'unsatisfiable')
    return void response.writeHead(416, { 'Content-Range': `bytes */${file.bytes}`, 'Content-Length': '0' }).end()
  const { from, to } = range ?? { from: 0, to: file.bytes - 1 }
  if (range !== null) headers['Content-Range'] = `bytes ${from}-${to}/${file.bytes}`
  headers['Content-Length'] = file.bytes === 0 ? 0 : to - from + 1
  response.writeHead(range === null ? 200 : 206, headers)
  if (request.method === 'HEAD' || file.bytes === 0) return void response.end()
  const stream = createReadStream(store.blobFile(file.hash), { start: from, end: to })
  stream.on('error', (error) => {
    log.error({ err: error }, 'a file could not be read')
    response.destroy()
  })
  response.on('close', () => stream.destroy())
  stream.pipe(response)
}

/** One byte range (RFC 9110 §14.1.2); null for none or for several, which are answered whole. */
function rangeOf(header: string | undefined, size: number): { from: number; to: number } | 'unsatisfiable' | null {
  const found = /^bytes=(\d*)-(\d*)$/.exec(header ?? '')
  if (found === null || (found[1] === '' && found[2] === '')) return null
  const from = found[1] === '' ? Math.max(0, size - Number(found[2])) : Number(found[1])
  const to = found[1] === '' || found[2] === '' ? size - 1 : Math.min(Number(found[2]), size - 1)
  return from >= size || from > to ? 'unsatisfiable' : { from, to }
}
