import assert from 'node:assert/strict'
import { once } from 'node:events'
import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { after, before, test } from 'node:test'
import { gzipSync } from 'node:zlib'
import { unzipSync as unpack } from 'fflate'
import pino from 'pino'
import { RehearsalReport } from '../../src/contract/redirect-trials.ts'
import { ALL_INSIDE } from '../../src/core/address/index.ts'
import { rows } from '../../src/data/database.ts'
import { runImport } from '../../src/jobs/imports.ts'
import { runRehearsal } from '../../src/jobs/redirect-trials.ts'
import { askOutside } from '../../src/outside/index.ts'
import { bringIn, makeWorld, must, pageAt, reportOf, type World, zipOf } from './world.ts'

const log = pino({ level: 'silent' })
let world: World
let site: Server
let asked: string[] = []
let at = ''
let isBroken = false

before(async () => {
  world = await makeWorld()
  await rows(world.db, `UPDATE sites SET inside_allowed = '{0.0.0.0/0,::/0}'`)
  site = createServer((request, response) => {
    const path = request.url ?? '/'
    asked.push(path)
    const page = (html: string, type = 'text/html; charset=utf-8') => void response.writeHead(200, { 'Content-Type': type }).end(html)
    if (path === '/robots.txt') return page(`User-agent: *\nDisallow: /private\nSitemap: ${at}/maps.xml.gz\n`, 'text/plain')
    if (path === '/maps.xml.gz')
      return void response
        .writeHead(200, { 'Content-Type': 'application/gzip' })
        .end(gzipSync(`<sitemapindex><sitemap><loc>${at}/map.xml</loc></sitemap></sitemapindex>`))
    if (path === '/map.xml')
      return page(
        `<urlset>${['/', '/one', '/two.html', '/private', '/gone', '/paper.pdf', '/away'].map((each) => `<url><loc>${at}${each}</loc></url>`).join('')}<url><loc>https://elsewhere.example/x</loc></url></urlset>`,
        'application/xml',
      )
    if (path === '/feed.xml')
      return page(
        `<rss><channel><item><title>Spring &amp; all</title><link>${at}/log/spring</link><description>&lt;p&gt;Terns &lt;a href="https://tides.example/"&gt;came&lt;/a&gt;.&lt;/p&gt;</description></item></channel></rss>`,
        'application/rss+xml',
      )
    if (isBroken && path === '/two.html') return void request.socket.destroy()
    if (path === '/gone') return void response.writeHead(410).end()
    if (path === '/away') return void response.writeHead(302, { Location: 'https://elsewhere.example/' }).end()
    if (path === '/paper.pdf') return page('%PDF-', 'application/pdf')
    if (path === '/') return page('<title>Front</title><h1>Front</h1>')
    page(`<title>${path}</title><p><a href="/">front</a>`)
  }).listen(0, '127.0.0.1')
  await once(site, 'listening')
  at = `http://old.localhost:${(site.address() as AddressInfo).port}`
})
after(() => {
  site.close()
  site.closeAllConnections()
})

async function fetched(address: string, dryRun = false) {
  const job = must(await world.services.imports.fetch(world.owner, { address, dryRun }))
  await runImport(world.db, world.services.views, job, log)
  return { job, ...must(await world.services.jobs.get(world.owner, job)) }
}
async function applied(job: string) {
  const next = must(await world.services.imports.again(world.owner, job, { dryRun: false }))
  await runImport(world.db, world.services.views, next, log)
  return must(await world.services.jobs.get(world.owner, next))
}
const outcomes = (report: ReturnType<typeof reportOf>) =>
  Object.fromEntries(report.items.map(({ name, outcome, reason }) => [name.replace(at, ''), reason ?? outcome]))

test('a site comes in by its sitemap: politely, each page with its own reason; applied without asking again', async () => {
  const looked = await fetched(at, true)
  assert.deepEqual(outcomes(reportOf(looked)), {
    '/': 'new',
    '/away': 'It sends on to elsewhere.example.',
    '/gone': 'The site answers 410.',
    '/one': 'new',
    '/paper.pdf': 'It is no page but application/pdf.',
    '/private': 'Its robots.txt asks robots to stay away from it.',
    '/two.html': 'new',
  })
  assert.ok(!asked.includes('/private'))
  asked = []
  assert.equal(reportOf(await applied(looked.job)).new, 3)
  assert.deepEqual(
    asked.filter((path) => path === '/one' || path === '/two.html'),
    [],
  )
  assert.equal(
    must(await world.services.pages.source(world.owner, await pageAt(world, '/one'))).source,
    '<title>/one</title><p><a href="/">front</a>',
  )
  // The same site again: nothing twice, and an edit by hand is told.
  const id = await pageAt(world, '/one')
  const { version } = must(await world.services.pages.source(world.owner, id))
  must(await world.services.pages.change(world.owner, id, { version, patchSets: [[{ from: 0, to: 0, insert: '<!-- mine -->' }]] }))
  const again = outcomes(reportOf(await fetched(at, true)))
  assert.deepEqual([again['/'], again['/two.html']], ['same', 'same'])
  assert.match(again['/one'] ?? '', /edited here since/)
})

test('a crawl that was stopped goes on from what it has', async () => {
  const job = must(await world.services.imports.fetch(world.owner, { address: `${at}/map.xml`, dryRun: true }))
  await rows(world.db, 'UPDATE jobs SET is_cancel_asked = true WHERE id = $1', [job])
  asked = []
  await runImport(world.db, world.services.views, job, log)
  const stopped = must(await world.services.jobs.get(world.owner, job))
  assert.deepEqual([stopped.state, stopped.message], ['cancelled', 'Stopped. What was fetched is kept; it can go on from there.'])
  assert.equal(stopped.canGoOn, true, 'what the words say and what the button does are one')
  const [kept] = await rows<{ upload: string }>(world.db, `SELECT input->>'upload' AS upload FROM jobs WHERE id = $1`, [job])
  await rows(
    world.db,
    `UPDATE crawled SET state = 'fetched', bytes = '<p>kept', media_type = 'text/html' WHERE crawl = $1 AND address = $2`,
    [kept?.upload, `${at}/one`],
  )
  asked = []
  const next = must(await world.services.imports.again(world.owner, job, { dryRun: true }))
  await runImport(world.db, world.services.views, next, log)
  assert.equal(must(await world.services.jobs.get(world.owner, next)).state, 'done')
  assert.ok(!asked.includes('/one') && !asked.includes('/map.xml') && asked.includes('/two.html'), asked.join(' '))
})

test('one page that breaks off does not stop the others', async () => {
  isBroken = true
  const report = outcomes(reportOf(await fetched(`${at}/map.xml`, true)))
  isBroken = false
  assert.equal(report['/two.html'], 'The site does not answer.')
  assert.equal(report['/'], 'same')
})

test('a feed’s entries become pages of the site’s look; uploaded or fetched they are the same pages', async () => {
  await bringIn(
    world,
    zipOf({
      'index.html': '<!doctype html><title>Home</title><body><nav>menu</nav><main><h1>Home</h1><p>many words of a front page</p></main>',
    }),
  )
  assert.equal(reportOf(await fetched(`${at}/feed.xml`)).new, 1)
  const { source } = must(await world.services.pages.source(world.owner, await pageAt(world, '/log/spring')))
  assert.match(
    source,
    /<title>Spring &amp; all<\/title>[\s\S]*<nav>menu<\/nav>[\s\S]*<p>Terns <a href="https:\/\/tides\.example\/">came<\/a>\.<\/p>/,
  )
  const feed = Buffer.from(await (await fetch(`${at.replace('old.localhost', '127.0.0.1')}/feed.xml`)).arrayBuffer())
  assert.equal(reportOf(await bringIn(world, feed, { name: 'feed.xml', dryRun: true })).same, 1)
})

test('an address that leads nowhere, or into a private network, is told in plain words', async () => {
  assert.match((await fetched(`${at.replace('old.', 'none.').replace(/:\d+$/, ':9')}`)).message ?? '', /does not answer/)
  await rows(world.db, `UPDATE sites SET inside_allowed = '{}'`)
  const refused = await world.services.imports.fetch(world.editor, { address: at, dryRun: true })
  assert.deepEqual(refused.ok ? null : [refused.fault, refused.detail], [
    'inside-not-allowed',
    { host: 'old.localhost', mayAllow: world.editor.can('hosts:edit') },
  ])
  await rows(world.db, `UPDATE sites SET inside_allowed = '{0.0.0.0/0,::/0}'`)
})

const MD =
  '---\ntitle: Winter boats\ntags: [boats]\n---\nThree *weeks* to [Tern Holm](/tern.html).\n\n* odd   list\n\nSee [the shop](https://gannet-line.example/smocks).\n'

test('Markdown comes in as a page, keeps its tags, and goes out as Markdown: untouched text byte for byte, rules applied', async () => {
  const files = { 'notes/winter.md': MD, 'notes/said.md': '---\npermalink: /quay/said.html\n---\n# Said\n' }
  assert.equal(reportOf(await bringIn(world, zipOf(files))).new, 2)
  await pageAt(world, '/quay/said.html')
  const id = await pageAt(world, '/notes/winter.html')
  const page = must(await world.services.pages.source(world.owner, id))
  assert.deepEqual([page.title, page.tags], ['Winter boats', ['boats']])
  const out = async (): Promise<string> => {
    const zip = must(await world.services.exports.siteZip(world.owner, 'draft'))
    return Buffer.from(unpack(new Uint8Array(await new Response(zip).arrayBuffer()))['notes/winter.md'] ?? []).toString()
  }
  assert.equal(await out(), MD)
  const from = page.source.indexOf('Three')
  must(await world.services.pages.change(world.owner, id, { version: page.version, patchSets: [[{ from, to: from + 5, insert: 'Four' }]] }))
  must(
    await world.services.rules.save(world.owner, {
      version: 0,
      rules: [{ id: 'o', name: 'o', isOn: true, isBinding: false, when: { is: 'kind', of: ['outside'] }, what: { hints: ['nofollow'] } }],
    }),
  )
  assert.equal(
    await out(),
    MD.replace('Three', 'Four').replace(
      '[the shop](https://gannet-line.example/smocks)',
      '<a href="https://gannet-line.example/smocks" rel="nofollow">the shop</a>',
    ),
  )
  // The same file again is the same, though the page it made was edited and the front page looks otherwise now.
  const again = reportOf(await bringIn(world, zipOf(files), { dryRun: true }))
  assert.deepEqual([again.same, again.changed], [2, 0])
})

test('a site that drips is given up, and one that answers slowly but surely is heard', async () => {
  const drip = createServer((asked, response) => {
    response.writeHead(200, { 'Content-Type': 'text/html' })
    const surely = asked.url === '/surely'
    let sent = 0
    const timer = setInterval(() => {
      response.write(surely ? 'x'.repeat(4_096) : 'x')
      if (surely && ++sent === 5) {
        clearInterval(timer)
        response.end()
      }
    }, 200)
    response.on('close', () => clearInterval(timer))
  }).listen(0, '127.0.0.1')
  await once(drip, 'listening')
  const url = (path: string): URL => new URL(path, `http://127.0.0.1:${(drip.address() as AddressInfo).port}`)
  const [drips, ends, surely] = await Promise.all([
    askOutside(url('/drip'), ALL_INSIDE, { maxBytes: 1_000_000, totalMs: 60_000 }),
    askOutside(url('/drip'), ALL_INSIDE, { maxBytes: 1_000_000, totalMs: 500 }),
    askOutside(url('/surely'), ALL_INSIDE, { maxBytes: 1_000_000, totalMs: 60_000 }),
  ])
  assert.equal(drips.ok || drips.fault, 'too-slow')
  assert.equal(ends.ok || ends.fault, 'not-in-time')
  assert.equal(surely.ok && surely.value.body.length, 5 * 4_096)
  drip.close()
  drip.closeAllConnections()
})

test('a move is rehearsed with the sitemap of a site that is still there; where it has none, that is told', async () => {
  const rehearsed = async (address: string) => {
    const job = must(await world.services.redirectTrials.startRehearsalOf(world.editor, address))
    await runRehearsal(world.db, world.services.redirectTrials, job, log)
    return must(await world.services.jobs.get(world.editor, job))
  }
  const report = RehearsalReport.parse((await rehearsed(at)).report)
  assert.equal(report.kind, 'sitemap')
  assert.ok([...report.items.map(({ from }) => from)].includes('/paper.pdf'))
  assert.equal((await rehearsed(`${at}/feed.xml`)).message, 'There is no sitemap at this address.')
  const refused = await world.services.redirectTrials.startRehearsalOf(world.editor, 'ftp://old.example/')
  assert.equal(refused.ok ? 'begun' : refused.fault, 'address-unreadable')
})
