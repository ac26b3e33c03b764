import assert from 'node:assert/strict'
import { once } from 'node:events'
import { createServer } from 'node:http'
import { beforeEach, test } from 'node:test'
import pino from 'pino'
import type { MenuBody } from '../../src/contract/menus.ts'
import { rows } from '../../src/data/database.ts'
import { checkPublication } from '../../src/jobs/publication-checks.ts'
import { bringIn, makeWorld, must, pageAt, type World, zipOf } from './world.ts'

let world: World
/** By number, from 1 on. */
let publications: string[]
beforeEach(async () => {
  world = await makeWorld()
  publications = ['']
})

const publish = async () => void publications.push(must(await world.services.publications.create(world.owner, { all: true })).id)
const restore = (number: number) => world.services.publications.restore(world.owner, publications[number] ?? '')
const open = async (path: string) => must(await world.services.pages.source(world.editor, await pageAt(world, path)))
async function write(path: string, words: string): Promise<void> {
  const page = await open(path)
  const [from, to] = [page.source.indexOf('<p>') + 3, page.source.indexOf('</p>')]
  must(await world.services.pages.change(world.editor, page.id, { version: page.version, patchSets: [[{ from, to, insert: words }]] }))
}
/** What readers get, by path; null for what is not there for them. */
async function live(): Promise<Record<string, string | null>> {
  const all = await rows<{ path: string; bytes: Buffer | null }>(
    world.db,
    'SELECT p.path, b.bytes FROM pages p LEFT JOIN blobs b ON b.hash = p.live_hash ORDER BY path',
  )
  return Object.fromEntries(all.map(({ path, bytes }) => [path, bytes === null ? null : (/<p>(.*)<\/p>/s.exec(String(bytes))?.[1] ?? '')]))
}
const drafts = async () =>
  Object.fromEntries(await Promise.all(['/a.html', '/b.html'].map(async (path) => [path, (await open(path)).source])))

async function threeTimes(): Promise<void> {
  await bringIn(world, zipOf({ 'a.html': '<title>A</title><p>a1</p>', 'b.html': '<title>B</title><p>b1</p>' }))
  await publish()
  await write('/a.html', 'a2 <a href="b.html">b</a>')
  await publish()
  await write('/a.html', 'a3')
  await write('/b.html', 'b3')
  await publish()
}

test('the live site is as it was after an earlier publication, and so are drafts that nobody has touched since', async () => {
  await threeTimes()
  const back = must(await restore(2))
  assert.deepEqual([back.number, back.pages], [4, 2])
  assert.deepEqual(await live(), { '/a.html': 'a2 <a href="b.html">b</a>', '/b.html': 'b1' })
  assert.match((await drafts())['/a.html'] ?? '', /<p>a2 /)
  assert.deepEqual(must(await world.services.publications.unpublished(world.editor)).pages, [])
  // Lists of links go by what the drafts are now.
  const links = await rows<{ href: string }>(world.db, 'SELECT href FROM placements')
  assert.deepEqual(links, [{ href: 'b.html' }])
})

test('a draft that somebody has gone on with stays theirs, and is unpublished from then on', async () => {
  await threeTimes()
  await write('/a.html', 'a4, half written')
  must(await restore(1))
  assert.deepEqual(await live(), { '/a.html': 'a1', '/b.html': 'b1' })
  assert.match((await drafts())['/a.html'] ?? '', /half written/)
  assert.deepEqual(
    must(await world.services.publications.unpublished(world.editor)).pages.map(({ path }) => path),
    ['/a.html'],
  )
})

test('a page that came later goes, one that went since comes back; bringing the restoring back undoes both', async () => {
  await threeTimes()
  const b = await open('/b.html')
  must(await world.services.pages.remove(world.editor, b.id, { version: b.version, isRemoved: true }))
  await bringIn(world, zipOf({ 'c.html': '<title>C</title><p>c4</p>' }))
  await publish()
  assert.deepEqual(await live(), { '/a.html': 'a3', '/b.html': null, '/c.html': 'c4' })
  must(await restore(3))
  assert.deepEqual(await live(), { '/a.html': 'a3', '/b.html': 'b3', '/c.html': null })
  must(await restore(4))
  assert.deepEqual(await live(), { '/a.html': 'a3', '/b.html': null, '/c.html': 'c4' })
})

test('files go along', async () => {
  await bringIn(world, zipOf({ 'a.html': '<title>A</title><p>a1</p>', 'map.txt': 'first' }))
  await publish()
  const [file] = await rows<{ id: string; version: number }>(world.db, `SELECT id, version FROM files WHERE path = '/map.txt'`)
  must(await world.services.files.remove(world.owner, file?.id ?? '', { version: file?.version ?? 0, isRemoved: true, evenIfUsed: true }))
  await publish()
  const isLive = async () => (await rows<{ is: boolean }>(world.db, 'SELECT live_hash IS NOT NULL AS is FROM files'))[0]?.is
  assert.equal(await isLive(), false)
  must(await restore(1))
  assert.equal(await isLive(), true)
})

test('each page that comes back has a version, a revision and its place in the change log', async () => {
  await threeTimes()
  const before = await open('/a.html')
  const [end] = await rows<{ number: string }>(world.db, 'SELECT max(number) AS number FROM changes')
  must(await restore(1))
  assert.equal((await open('/a.html')).version, before.version + 1)
  const [revision] = await rows<{ made_by: string }>(world.db, 'SELECT made_by FROM page_revisions WHERE page_id = $1 AND version = $2', [
    before.id,
    before.version + 1,
  ])
  assert.equal(revision?.made_by, 'publication')
  const changes = await rows<{ what: string }>(
    world.db,
    `SELECT what FROM changes WHERE number > $1 AND capability = 'pages' AND key = $2 ORDER BY what`,
    [end?.number, before.id],
  )
  assert.deepEqual(
    changes.map(({ what }) => what),
    ['changed', 'published'],
  )
})

test('before a publication it is told which new links lead nowhere, which menus stay behind, and from where a page that goes is linked', async () => {
  const { services, editor, owner } = world
  await bringIn(world, zipOf({ 'a.html': '<title>A</title><p><a href="old-hole.html">old</a></p>', 'b.html': '<title>B</title><p>b</p>' }))
  const menu = must(await services.menus.create(owner, { name: 'main', title: 'Main menu' }))
  const entry = (id: string, label: string, href: string, children: MenuBody['entries'] = []): MenuBody['entries'][number] => ({
    ...{ id, kind: href === '' ? 'title' : 'link', label, href, children },
  })
  const change = async (entries: MenuBody['entries'], joins: 'nowhere' | 'last' = 'nowhere') => {
    const { version } = must(await services.menus.get(editor, menu.id))
    must(await services.menus.change(editor, menu.id, { version, menu: { entries, left: [], joins } }))
  }
  await change([entry('1', 'B', '/b.html')], 'last')
  await publish()
  const review = async (wanted: { all: true } | { pages: string[] }) => must(await services.publications.review(owner, wanted))

  await write('/a.html', '<a href="old-hole.html">old</a> <a href="new-hole.html">new</a>')
  assert.deepEqual(
    (await review({ all: true })).nowhere.map(({ title, text, address }) => [title, text, new URL(address).pathname]),
    [['A', 'new', '/new-hole.html']],
    'what readers find broken already is not said again',
  )
  must(await services.redirects.create(owner, { from: '/new-hole.html', to: '/b.html' }))
  assert.deepEqual((await review({ all: true })).nowhere, [], 'a link that lands by a redirect lands')

  await change([entry('1', 'B', '/b.html'), entry('2', 'Lost', '/lost.html')], 'last')
  assert.deepEqual(
    (await review({ all: true })).nowhere.map(({ title, text }) => [title, text]),
    [['Main menu', 'Lost']],
  )
  await change([entry('1', 'B', '/b.html'), entry('3', 'Isles', '', [entry('5', 'A', '/a.html')])], 'last')
  assert.deepEqual((await review({ all: true })).titles, [{ id: menu.id, title: 'Main menu', label: 'Isles' }])
  await publish()
  await write('/a.html', 'other words')
  await change([entry('1', 'B', '/b.html'), entry('3', 'Isles', ''), entry('4', 'More', '/a.html')], 'last')
  assert.deepEqual((await review({ all: true })).titles, [], 'one that is live without a landing is no news')

  const fresh = must(await services.pages.create(editor, { path: '/fresh.html', title: 'Fresh' }))
  assert.deepEqual((await review({ pages: [fresh.id] })).menus, [{ id: menu.id, title: 'Main menu', page: 'Fresh' }])
  assert.deepEqual((await review({ pages: [fresh.id, menu.id] })).menus, [])

  const b = await open('/b.html')
  must(await services.pages.remove(owner, b.id, { version: b.version, isRemoved: true }))
  assert.deepEqual((await review({ pages: [b.id] })).breaks, [{ title: 'B', path: '/b.html', pages: 0, menus: 1, blocks: 0 }])
})

test('a page that was taken away with its address led on is looked for, and its redirect is as meant', async (t) => {
  const { db, services, owner } = world
  await bringIn(world, zipOf({ 'a.html': '<title>A</title><p>a</p>', 'b.html': '<title>B</title><p>b</p>' }))
  await publish()
  const b = await open('/b.html')
  must(await services.pages.remove(owner, b.id, { version: b.version, isRemoved: true, leadTo: '/a.html' }))
  await publish()
  const asked: string[] = []
  const live = createServer((request, response) => {
    asked.push(request.url ?? '')
    response.writeHead(301, { Location: '/a.html' }).end()
  }).listen(4999, '127.0.0.1')
  t.after(() => live.close().closeAllConnections())
  await once(live, 'listening')
  await checkPublication(db, services.views, publications[2] ?? '', pino({ level: 'silent' }))
  const { check } = must(await services.publications.view(owner, publications[2] ?? ''))
  assert.deepEqual([asked, check], [['/b.html'], { pages: 1, links: 0, found: 0, problems: [] }])
})

test('what would change nothing, what is not there, and whoever may not publish is refused', async () => {
  await threeTimes()
  const same = await restore(3)
  assert.equal(same.ok ? '' : same.fault, 'nothing-to-publish')
  const unknown = await world.services.publications.restore(world.owner, crypto.randomUUID())
  assert.equal(unknown.ok ? '' : unknown.fault, 'not-found')
  const forbidden = await world.services.publications.restore(world.contributor, publications[1] ?? '')
  assert.equal(forbidden.ok ? '' : forbidden.fault, 'forbidden')
  assert.equal(must(await world.services.publications.list(world.owner)).items.length, 3)
})
