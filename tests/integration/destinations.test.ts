import assert from 'node:assert/strict'
import { before, test } from 'node:test'
import { rows } from '../../src/data/database.ts'
import { bringIn, makeWorld, must, pageAt, type World, zipOf } from './world.ts'

let world: World
before(async () => {
  world = await makeWorld()
  await bringIn(
    world,
    zipOf({
      'islands/skarrow.html':
        '<title>Skarrow, the long island</title><h2 id="getting there">Getting there</h2><h2>Where to sleep</h2><a href="https://www.gannet-line.example/smocks?ref=9">a</a>',
      'islands/tern-holm.html': '<title>Tern Holm</title><a href="https://www.gannet-line.example/smocks?ref=9">b</a>',
      'cafe.html': '<title>The Café at the quay</title>',
      'files/timetable 2026.pdf': '%PDF-1.7',
    }),
  )
  must(
    await world.services.partners.create(world.owner, {
      name: 'Gannet & Line',
      sites: ['https://gannet-line.example/'],
      account: '4711',
      template: '{url}?ref={account}&sub={sub}',
    }),
  )
  must(
    await world.services.shortLinks.create(world.owner, {
      destination: 'https://tides.example/today',
      slug: 'tide-table',
      title: 'Tide table of the day',
    }),
  )
})
const find = async (text: string, more: { page?: string; limit?: number } = {}) =>
  must(await world.services.destinations.find(world.contributor, { text, limit: 12, ...more })).items

for (const [typed, address] of [
  ['skarrow', '/islands/skarrow.html'],
  ['long isl', '/islands/skarrow.html'],
  ['skarow', '/islands/skarrow.html'],
  ['CAFÉ', '/cafe.html'],
  ['cafe quay', '/cafe.html'],
  ['/islands/tern', '/islands/tern-holm.html'],
  ['timetable', '/files/timetable%202026.pdf'],
  ['tide table', 'http://short.localhost:4999/go/tide-table'],
] as const)
  test(`"${typed}" means ${address}`, async () => assert.equal((await find(typed))[0]?.address, address))

test('words that nothing has find nothing, and no words the pages that were written on last', async () => {
  assert.deepEqual(await find('zeppelin hangar'), [])
  await rows(world.db, `UPDATE pages SET draft_at = now() + interval '1 minute' WHERE path = '/cafe.html'`)
  const service = (await makeAnew()).services.destinations
  assert.equal(must(await service.find(world.editor, { text: '', limit: 3 })).items[0]?.address, '/cafe.html')
})

test('a partner is offered with the pages that the site leads to, our number in the link, and where it will stand', async () => {
  const partner = (await find('gannet', { page: '/cafe.html' })).find(({ kind }) => kind === 'partner')
  assert.equal(partner?.title, 'Gannet & Line: /smocks')
  assert.match(partner?.address ?? '', /^https:\/\/www\.gannet-line\.example\/smocks\?ref=4711&sub=[a-z][a-z0-9]{7}$/)
})

test('headings are found: of a page by its words, of the page itself, with or without a name of their own', async () => {
  const named = await find('skarrow # there')
  assert.deepEqual(
    named.map(({ kind, address, title }) => [kind, address, title]),
    [['section', '/islands/skarrow.html#getting%20there', 'Getting there']],
  )
  const own = await find('# sleep', { page: '/islands/skarrow.html' })
  assert.equal(own[0]?.title, 'Where to sleep')
  assert.equal(typeof own[0]?.start, 'number', 'where its heading starts, so that it can be given a name')
})

test('what changes is found as it is now: a new page, another title, a page that is gone', async () => {
  const { services, editor } = world
  const made = must(await services.pages.create(editor, { path: '/lighthouses.html', title: 'Lighthouses' }))
  assert.equal((await find('lighthouse'))[0]?.address, '/lighthouses.html')
  const page = must(await services.pages.source(editor, made.id))
  const at = page.source.indexOf('Lighthouses')
  must(
    await services.pages.change(editor, made.id, {
      version: page.version,
      patchSets: [[{ from: at, to: at + 'Lighthouses'.length, insert: 'Foghorns' }]],
    }),
  )
  assert.equal((await find('foghorns'))[0]?.address, '/lighthouses.html')
  const cafe = must(await services.pages.source(editor, await pageAt(world, '/cafe.html')))
  must(await services.pages.remove(editor, cafe.id, { version: cafe.version, isRemoved: true }))
  assert.deepEqual(await find('cafe quay'), [])
})

test('another site finds nothing of this one', async () => {
  const other = await makeWorld()
  assert.deepEqual(must(await other.services.destinations.find(other.owner, { text: 'skarrow', limit: 12 })).items, [])
})

/** Services that have looked at nothing yet. */
async function makeAnew() {
  const { createServices } = await import('../../src/services/index.ts')
  return { services: createServices(world.context) }
}
