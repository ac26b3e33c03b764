import assert from 'node:assert/strict'
import { once } from 'node:events'
import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { before, test } from 'node:test'
import { unzipSync } from 'fflate'
import pino from 'pino'
import { rows } from '../../src/data/database.ts'
import { runImport } from '../../src/jobs/imports.ts'
import type { Actor } from '../../src/services/index.ts'
import { inWords } from '../../src/words/index.ts'
import { bringIn, makeWorld, must, pageAt, reportOf, text, type World, zipOf } from './world.ts'

const log = pino({ level: 'silent' })
let world: World
before(async () => {
  world = await makeWorld()
  await bringIn(
    world,
    zipOf({
      'index.html': '<title>Front</title><main><p>Welcome.</p></main>',
      'a.html':
        '<title>A</title><body><main><p><a href="/new.html">new</a> and <a href="https://shop.example/x">coat</a></p></main></body>',
      'look.css': 'body{color:red}',
    }),
  )
  must(await world.services.publications.create(world.owner, { all: true }))
})

const liveFiles = async (): Promise<string[]> =>
  (await rows<{ path: string }>(world.db, 'SELECT path FROM files WHERE live_hash IS NOT NULL')).map(({ path }) => path)
async function edit(actor: Actor, path: string, from: string, to: string) {
  const page = must(await world.services.pages.source(actor, await pageAt(world, path)))
  const at = page.source.indexOf(from)
  return must(
    await world.services.pages.change(actor, page.id, {
      version: page.version,
      patchSets: [[{ from: at, to: at + from.length, insert: to }]],
    }),
  )
}

test('a file is a draft: it is shown in the studio, told among what differs, and readable from outside once published', async () => {
  const { services, owner } = world
  const made = must(await services.files.upload(owner, { name: 'Prices.css', bytes: text('p{color:blue}') }))
  assert.deepEqual([made.state, (await liveFiles()).includes(made.path)], ['new', false])
  const differs = must(await services.publications.unpublished(owner))
  assert.deepEqual(differs.filePaths, [made.path])
  const ticket = services.draftFiles.ticketFor(owner)
  const read = await services.draftFiles.read(services.draftFiles.siteOf(ticket), made.path)
  assert.equal(Buffer.from(read?.bytes ?? []).toString(), 'p{color:blue}')
  assert.equal(services.draftFiles.siteOf(ticket.replace(/.$/, (last) => (last === 'A' ? 'B' : 'A'))), null, 'a ticket is signed')
  must(await services.publications.create(owner, { all: true }))
  assert.equal((await liveFiles()).includes(made.path), true)
})

test('programs are not taken, by upload or import, and the reason is told', async () => {
  const refused = await world.services.files.upload(world.owner, { name: 'setup.exe', bytes: text('MZ') })
  assert.match(refused.ok ? '' : String(inWords(refused.detail.why)), /\.exe are not taken/)
  const report = reportOf(await bringIn(world, zipOf({ 'tools/run.exe': 'MZ', 'tools/note.txt': 'n' }), { dryRun: true }))
  assert.match(report.items.find(({ name }) => name === 'tools/run.exe')?.reason ?? '', /a site does not serve them/)
})

test('before publishing it is told whose work goes along, which linked pages are missing, and what breaks', async () => {
  const { services, owner, editor } = world
  must(await services.pages.create(editor, { path: '/new.html', title: 'New' }))
  await edit(owner, '/a.html', 'coat', 'coats')
  const a = await pageAt(world, '/a.html')
  const some = must(await services.publications.review(owner, { pages: [a] }))
  assert.deepEqual([some.pages, some.byOthers, some.missing.map(({ path, from }) => `${path} from ${from}`)], [1, 0, ['/new.html from A']])
  assert.equal(must(await services.publications.unpublished(owner)).byOthers, 1)
  const all = must(await services.publications.review(owner, { all: true }))
  assert.deepEqual([all.pages, all.byOthers, all.missing], [2, 1, []])
  must(await services.publications.create(owner, { all: true }))
  const id = await pageAt(world, '/new.html')
  const { version } = must(await services.pages.source(owner, id))
  must(await services.pages.remove(owner, id, { version, isRemoved: true }))
  assert.deepEqual(must(await services.publications.review(owner, { all: true })).breaks, [
    { title: 'New', path: '/new.html', pages: 1, menus: 0, blocks: 0 },
  ])
  must(await services.pages.remove(owner, id, { version: version + 1, isRemoved: false }))
})

test('a short link that was taken away comes back with its slug and its clicks, unless the slug is taken', async () => {
  const { shortLinks } = world.services
  const made = must(await shortLinks.create(world.owner, { destination: 'https://shop.example/x', slug: 'coat' }))
  await rows(
    world.db,
    `INSERT INTO click_rollups (short_link_id, day, visit, clicks) VALUES ($1, now()::date, 'person', 3), ($1, now()::date, 'bot', 2)`,
    [made.id],
  )
  await edit(world.owner, '/a.html', '<p>', `<p><a href="${made.address}">c</a> `)
  assert.deepEqual(
    must(await shortLinks.uses(world.owner, made.id)).items.map(({ path }) => path),
    ['/a.html'],
  )
  must(await shortLinks.remove(world.owner, made.id))
  assert.equal((await shortLinks.get(world.owner, made.id)).ok, false)
  const back = must(await shortLinks.putBack(world.owner, made.id))
  assert.deepEqual([back.slug, back.clicks, back.otherClicks], ['coat', 3, 2])
  must(await shortLinks.remove(world.owner, made.id))
  must(await shortLinks.create(world.owner, { destination: 'https://shop.example/other', slug: 'coat' }))
  const refused = await shortLinks.putBack(world.owner, made.id)
  assert.equal(refused.ok ? '' : refused.fault, 'slug-taken')
})

test('what a contributor chose for search engines ends with acceptance: the rules decide then', async () => {
  const { services, contributor, owner } = world
  await edit(contributor, '/', 'Welcome.', '<a href="https://paid.example/" data-by-hand="hints">Welcome</a>.')
  const [waits] = must(await services.waiting.list(owner)).items
  assert.equal(must(await services.desk.look(owner)).waiting, 1)
  const decided = must(await services.waiting.decide(owner, waits?.id ?? '', true))
  assert.ok(decided !== null)
  must(
    await services.pages.patch(
      owner,
      decided.page,
      decided.patchSets.map((set) => [...set]),
      'accept',
    ),
  )
  const { source } = must(await services.pages.source(owner, await pageAt(world, '/')))
  assert.match(source, /<a href="https:\/\/paid\.example\/" data-by-hand="">Welcome<\/a>/)
})

test('a title of any length fits into a menu, and a menu that cannot be read is never saved over', async () => {
  const { services, owner, db } = world
  const menu = must(await services.menus.create(owner, { name: 'main', title: 'Main' }))
  const joining = must(
    await services.menus.change(owner, menu.id, { version: menu.version, menu: { entries: [], left: [], joins: 'last' } }),
  )
  const long = 'A page about boats and tides '.repeat(14).trim().slice(0, 300)
  must(await services.pages.create(owner, { path: '/long.html', title: long }))
  must(await services.pages.create(owner, { path: '/left.html', title: 'Left', joinsMenus: false }))
  const now = must(await services.menus.get(owner, menu.id))
  assert.equal(now.isBroken, false)
  assert.ok((now.menu.entries[0]?.label.length ?? 999) <= 200 && now.menu.entries[0]?.label.endsWith('…'))
  assert.deepEqual([now.menu.entries.length, now.menu.left], [1, ['/left.html']])
  assert.equal(now.version, joining.version + 2)
  await rows(db, `INSERT INTO blobs (hash, bytes) VALUES ('broken', '{"entries": 5') ON CONFLICT DO NOTHING`)
  await rows(db, `UPDATE pages SET draft_hash = 'broken' WHERE id = $1`, [menu.id])
  const broken = must(await services.menus.get(owner, menu.id))
  assert.equal(broken.isBroken, true)
  const refused = await services.menus.change(owner, menu.id, { version: broken.version, menu: { entries: [], left: [], joins: 'last' } })
  assert.equal(refused.ok ? '' : refused.fault, 'menu-broken')
  must(await services.pages.create(owner, { path: '/after.html', title: 'After' }))
  assert.equal(must(await services.menus.get(owner, menu.id)).version, broken.version, 'nothing was put on top of it')
  must(await services.pages.restore(owner, menu.id, { version: broken.version, revision: now.version }))
  assert.equal(must(await services.menus.get(owner, menu.id)).menu.entries.length, 1)
})

test('a shared block is put on pages by one call, tells where it really shows, and is not put twice', async () => {
  const { blocks } = world.services
  const { block } = must(await blocks.create(world.owner, { name: 'tides', title: 'Tides', source: '<p>Tides</p>', replaceSame: false }))
  await edit(world.owner, '/a.html', '</main>', '</main><script>"<!-- block: tides -->"</script>')
  assert.deepEqual(must(await blocks.uses(world.owner, block.id)).items, [], 'a mark in a script shows nothing')
  const a = await pageAt(world, '/a.html')
  assert.deepEqual(must(await blocks.put(world.owner, block.id, { pages: [a], where: 'behind the text' })), { put: 1, had: 0, unfit: [] })
  assert.match(must(await world.services.pages.source(world.owner, a)).source, /<!-- block: tides -->\n<\/main>/)
  const again = must(await blocks.put(world.owner, block.id, { pages: 'all', where: 'before the text' }))
  assert.equal(again.had, 1)
  assert.ok(must(await blocks.uses(world.owner, block.id)).items.length === again.put + 1)
})

test('a finding that is fine is no longer pointed out, until its destination changes', async () => {
  const { services, owner } = world
  await edit(owner, '/a.html', '<p>', '<p><a href="https://boats.example/">click here</a> ')
  const found = async (): Promise<string[]> =>
    must(await services.placements.list(owner, { limit: 50, finding: 'says little' })).items.map(({ href }) => href)
  assert.deepEqual(await found(), ['https://boats.example/'])
  const pageId = await pageAt(world, '/a.html')
  must(await services.placements.markFine(owner, { pageId, ordinal: 0, finding: 'says little', reason: 'It is a quotation.' }))
  assert.deepEqual(await found(), [])
  await edit(owner, '/a.html', 'https://boats.example/', 'https://boats.example/other')
  assert.deepEqual(await found(), ['https://boats.example/other'])
})

test('a site without a sitemap comes in by its links, with pictures and styles, under a folder, and the front page stays', async () => {
  await rows(world.db, `UPDATE sites SET inside_allowed = '{0.0.0.0/0,::/0}'`)
  const asked: string[] = []
  const server = createServer((request, response) => {
    const path = request.url ?? ''
    asked.push(path)
    const page = (body: string, type = 'text/html') => void response.writeHead(200, { 'Content-Type': type }).end(body)
    if (path === '/')
      return page('<title>Theirs</title><link rel=stylesheet href=/s.css><a href="/one.html">1</a><a href="https://else.example/">e</a>')
    if (path === '/one.html') return page('<title>One</title><img src="pic.png"><a href="/">front</a><a href="/paper.pdf">p</a>')
    if (path === '/s.css') return page('body{background:url(back.png)}', 'text/css')
    if (path.endsWith('.png')) return page('png', 'image/png')
    response.writeHead(404).end()
  }).listen(0, '127.0.0.1')
  await once(server, 'listening')
  try {
    const address = `http://old.localhost:${(server.address() as AddressInfo).port}/`
    const look = must(await world.services.imports.fetch(world.owner, { address, dryRun: true }))
    await runImport(world.db, world.services.views, look, log)
    const report = reportOf(must(await world.services.jobs.get(world.owner, look)))
    assert.equal(report.asksFront, true)
    assert.deepEqual(
      report.items.map(({ path, outcome }) => `${path} ${outcome}`),
      ['null refused', '/back.png new', '/one.html new', '/pic.png new', '/s.css new'],
    )
    assert.ok(!asked.includes('/paper.pdf'))
    const joined: string[] = []
    const apply = must(await world.services.imports.again(world.owner, look, { dryRun: false, under: 'old', joinsMenus: true }))
    await runImport(
      world.db,
      world.services.views,
      apply,
      log,
      async (_site, _person, made) => void joined.push(...made.map(({ path }) => path)),
    )
    assert.equal(reportOf(must(await world.services.jobs.get(world.owner, apply))).new, 5)
    assert.deepEqual(joined, ['/old/', '/old/one.html'])
  } finally {
    server.close()
    server.closeAllConnections()
  }
})

test('an exported Markdown page keeps its first heading', async () => {
  await bringIn(world, text('# Night boats\n\nThey leave at midnight.\n'), { name: 'night.md' })
  const page = must(await world.services.pages.source(world.owner, await pageAt(world, '/night.html')))
  assert.equal(page.cameAs, 'markdown')
  const zip = new Uint8Array(await new Response(must(await world.services.exports.siteZip(world.owner, 'draft'))).arrayBuffer())
  assert.equal(new TextDecoder().decode(unzipSync(zip)['night.md']), '# Night boats\n\nThey leave at midnight.\n')
})
