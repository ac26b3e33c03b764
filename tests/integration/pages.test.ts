import assert from 'node:assert/strict'
import { before, test } from 'node:test'
import { wrapLink } from '../../src/core/markup/index.ts'
import { rows } from '../../src/data/database.ts'
import { bringIn, makeWorld, must, pageAt, type World, zipOf } from './world.ts'

let world: World
before(async () => {
  world = await makeWorld()
  await bringIn(
    world,
    zipOf({ 'a.html': '<title>A</title><p>the tide table</p>', 'b.html': '<title>B</title><p><a href="a.html">a</a></p>' }),
  )
})

const source = async (path: string) => must(await world.services.pages.source(world.editor, await pageAt(world, path)))

test('a change is a patch: a new version, its revision, its placements, its audit, in one step', async () => {
  const page = await source('/a.html')
  const at = page.source.indexOf('tide table')
  const patches = must(wrapLink(page.source, at, at + 10, { href: 'b.html' }))
  const saved = must(await world.services.pages.change(world.editor, page.id, { version: page.version, patchSets: [[...patches]] }))
  assert.deepEqual([saved.version, saved.links, saved.editedBy, saved.state], [2, 1, 'editor', 'new'])
  assert.equal((await source('/a.html')).source, '<title>A</title><p>the <a href="b.html">tide table</a></p>')
  const revisions = await rows<{ version: number; made_by: string }>(
    world.db,
    'SELECT version, made_by FROM page_revisions WHERE page_id = $1 ORDER BY version',
    [page.id],
  )
  assert.deepEqual(revisions, [
    { version: 1, made_by: 'import' },
    { version: 2, made_by: 'edit' },
  ])
  const audit = await rows(world.db, `SELECT 1 FROM audit WHERE action = 'pages:edit' AND subject = $1`, [page.id])
  assert.equal(audit.length, 1)
})

test('of many who save one version at once, one is told "saved" and the others see both sides', async () => {
  const page = await source('/b.html')
  const answers = await Promise.all(
    Array.from({ length: 8 }, (_, i) =>
      world.services.pages.change(world.editor, page.id, {
        version: page.version,
        patchSets: [[{ from: 16, to: 16, insert: `<i>${i}</i>` }]],
      }),
    ),
  )
  assert.equal(answers.filter((answer) => answer.ok).length, 1)
  for (const answer of answers) {
    if (answer.ok) continue
    assert.equal(answer.fault, 'moved-on')
    assert.match((answer.detail.current as { source: string }).source, /<i>\d<\/i>/)
  }
})

test('patches that do not fit are refused, and nothing is stored', async () => {
  const page = await source('/a.html')
  const refused = await world.services.pages.change(world.editor, page.id, {
    version: page.version,
    patchSets: [[{ from: 5, to: 9_999, insert: '' }]],
  })
  assert.equal(refused.ok ? '' : refused.fault, 'patches-unfit')
  assert.equal((await source('/a.html')).version, page.version)
})

test('publishing makes drafts live once, some or all', async () => {
  const { services, editor, contributor } = world
  const [a, b] = await Promise.all([pageAt(world, '/a.html'), pageAt(world, '/b.html')])
  assert.equal((await services.publications.create(contributor, { all: true })).ok, false)
  assert.equal(must(await services.publications.create(editor, { pages: [a] })).pages, 1)
  assert.deepEqual(
    must(await services.publications.unpublished(editor)).pages.map(({ id }) => id),
    [b],
  )
  assert.equal(must(await services.publications.create(editor, { all: true })).number, 2)
  const again = await services.publications.create(editor, { all: true })
  assert.equal(again.ok ? '' : again.fault, 'nothing-to-publish')
})

test('pages are found by path in any of its spellings, by words, and page by page', async () => {
  await bringIn(
    world,
    zipOf(
      Object.fromEntries(Array.from({ length: 25 }, (_, i) => [`list/p${String(i).padStart(2, '0')}.html`, `<title>Listed ${i}%</title>`])),
    ),
  )
  await bringIn(world, zipOf({ 'list/index.html': '<title>Index</title>' }))
  const { services, owner } = world
  for (const path of ['/list/', '/list', '/list/index.html'])
    assert.equal(must(await services.pages.list(owner, { path, limit: 5 })).items[0]?.title, 'Index', path)
  assert.equal(must(await services.pages.list(owner, { search: '7%', limit: 50 })).total, 2, '"%" is a character here')
  const seen: string[] = []
  for (let cursor: string | undefined; ; ) {
    const page = must(await services.pages.list(owner, { search: 'listed', limit: 10, cursor }))
    seen.push(...page.items.map(({ path }) => path))
    if (page.next === null) break
    cursor = page.next
  }
  assert.equal(new Set(seen).size, 25)
  assert.deepEqual(seen, [...seen].sort())
})

test('placements can be rebuilt from the drafts to the same index', async () => {
  const all = () => rows(world.db, 'SELECT * FROM placements ORDER BY page_id, ordinal')
  const first = await all()
  await rows(world.db, 'DELETE FROM placements')
  await world.services.placements.rebuild(world.owner.siteId)
  assert.deepEqual(await all(), first)
  assert.ok(first.length > 0)
})
