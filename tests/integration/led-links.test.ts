import assert from 'node:assert/strict'
import { before, test } from 'node:test'
import { PlacementQuery } from '../../src/contract/placements.ts'
import { bringIn, makeWorld, must, type World, zipOf } from './world.ts'

let world: World
before(async () => {
  world = await makeWorld()
  const hrefs = ['/here.html', '/old.html', '/older.html', '/isles/mew', '/dead.html', '/round.html', '/shop', '/nowhere.html', '/OLD.html']
  await bringIn(
    world,
    zipOf({
      'index.html': `<title>Front</title>${hrefs.map((href) => `<p><a href="${href}">${href}</a></p>`).join('')}`,
      'here.html': '<title>Here</title>',
    }),
  )
  must(await world.services.publications.create(world.owner, { all: true }))
})
const desk = async () =>
  must(await world.services.desk.look(world.owner)).findings.find(({ finding }) => finding === 'does not land')?.links ?? 0
const listed = async () => {
  const { items } = must(await world.services.placements.list(world.owner, PlacementQuery.parse({ limit: 100 })))
  return items.filter(({ lands }) => lands === false).map(({ href }) => href)
}

test('a link that lands by a redirect lands, and the Desk and its list count the same', async () => {
  const { redirects } = world.services
  assert.equal((await listed()).length, 8)
  assert.equal(await desk(), 8)
  const make = async (from: string, to: string, match: 'exact' | 'pattern' = 'exact') =>
    must(await redirects.create(world.editor, { from, to, match }))
  await make('/older.html', '/old.html')
  const old = await make('/old.html', '/here.html')
  await make('/isles/:name', '/here.html', 'pattern')
  await make('/dead.html', '/nobody.html')
  await make('/round.html', '/round-b.html')
  await make('/shop', 'https://tides.example/')
  assert.deepEqual(await listed(), ['/dead.html', '/round.html', '/nowhere.html'])
  assert.equal(await desk(), 3)
  must(await redirects.change(world.editor, old.id, { version: old.version, isOn: false }))
  assert.deepEqual(await listed(), ['/old.html', '/older.html', '/dead.html', '/round.html', '/nowhere.html', '/OLD.html'])
  assert.equal(await desk(), 6)
})

test('where addresses without a page lead is asked again only after what can change it', async () => {
  const { services, owner } = world
  const view = await services.views.of(owner)
  const list = await services.placements.listOf(owner.siteId, view)
  assert.equal(list.hasNewWithout, false)
  const id = must(await services.pages.list(owner, { path: '/here.html', limit: 1 })).items[0]?.id ?? ''
  const add = async (href: string): Promise<void> => {
    const { version, source } = must(await services.pages.source(owner, id))
    const insert = `<p><a href="${href}">more</a></p>`
    must(await services.pages.change(owner, id, { version, patchSets: [[{ from: source.length, to: source.length, insert }]] }))
  }
  await add('/index.html')
  const before = new Set(list.pathsWithout())
  await services.placements.listOf(owner.siteId, view)
  assert.deepEqual(new Set(list.pathsWithout()), before)
  await add('/isles/far')
  assert.deepEqual((await listed()).includes('/isles/far'), false, 'a new address is asked about at once')
  assert.ok((await services.placements.listOf(owner.siteId, view)).pathsWithout().includes('/isles/far'))
})
