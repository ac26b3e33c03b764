import assert from 'node:assert/strict'
import { before, test } from 'node:test'
import type { BenchRequest, RedirectNew, RedirectRow } from '../../src/contract/redirects.ts'
import { rows } from '../../src/data/database.ts'
import { bringIn, makeWorld, must, type World, zipOf } from './world.ts'

let world: World
const HOME = 'http://site.localhost:4999'
before(async () => {
  world = await makeWorld()
  await bringIn(world, zipOf({ 'here.html': '<title>Here</title>', 'shelf/index.html': 'shelf' }))
  must(await world.services.publications.create(world.owner, { all: true }))
  must(await world.services.shortLinks.create(world.owner, { destination: `${HOME}/old`, slug: 'old' }))
})
const make = async (wanted: RedirectNew): Promise<RedirectRow> => must(await world.services.redirects.create(world.editor, wanted))
const bench = async (address: string, more: Omit<BenchRequest, 'address'> = {}) =>
  must(await world.services.redirects.bench(world.contributor, { address, ...more }))

test('the way of an address is told to its end, stop by stop', async () => {
  await make({ from: '/old', to: '/older' })
  await make({ from: '/older', to: '/here.html', status: 302 })
  const { answer, row, rope } = await bench('/OLD/?a=1')
  assert.deepEqual(answer, { status: 301, location: `${HOME}/older?a=1` })
  assert.equal(row?.from, '/old')
  assert.deepEqual(
    rope.map(({ address, status, by }) => [address.replace(HOME, ''), status, by]),
    [
      ['/OLD/?a=1', 301, 'redirect'],
      ['/older?a=1', 302, 'redirect'],
      ['/here.html?a=1', 200, 'page'],
    ],
  )
  const short = await bench('http://short.localhost:4999/go/old')
  assert.deepEqual([short.answer, short.rope.map(({ by }) => by)], [null, ['short link', 'redirect', 'redirect', 'page']])
})

test('a circle, a dead end and the way out are told as what they are', async () => {
  // A circle that everybody would go in is refused; one for some visitors can come about.
  await make({ from: '/round', to: '/about', when: { languages: ['de'] } })
  await make({ from: '/about', to: '/round' })
  assert.deepEqual(
    (await bench('/round', { language: 'de' })).rope.map(({ by }) => by),
    ['redirect', 'redirect', 'loop'],
  )
  assert.deepEqual(
    (await bench('/nothing')).rope.map(({ by, status }) => [by, status]),
    [['nothing', 404]],
  )
  await make({ from: '/out', to: 'https://tides.example/' })
  assert.deepEqual(
    (await bench('/out')).rope.map(({ by, status }) => [by, status]),
    [
      ['redirect', 301],
      ['outside', null],
    ],
  )
  await make({ from: '/went', status: 410 })
  assert.deepEqual([(await bench('/went')).answer, (await bench('/went')).rope.length], [{ status: 410, location: null }, 1])
  await make({ from: '/deep', match: 'under', to: '/deep/again/', when: { languages: ['de'] } })
  const endless = (await bench('/deep/x', { language: 'de' })).rope
  assert.equal(endless[endless.length - 1]?.by, 'too long')
})

test('every row that comes up says why it does not answer', async () => {
  await make({ from: '/shelf/', to: '/hidden' })
  assert.deepEqual(
    (await bench('/shelf')).considered.map(({ to, why }) => [to, why]),
    [['/hidden', 'page']],
  )
  await make({ from: '/pick', to: '/all' })
  await make({ from: '/pick', to: '/de', when: { languages: ['de'] } })
  await make({ from: '/pick', to: '/phone', when: { devices: ['phone'] } })
  await make({ from: '/p*', match: 'pattern', to: '/wide' })
  await make({ from: '^/p\\d', match: 'expression', to: '/sour' })
  const said = async (more: Omit<BenchRequest, 'address'>) =>
    Object.fromEntries((await bench('/pick', more)).considered.map(({ to, why }) => [to, why]))
  assert.deepEqual(await said({}), { '/de': 'language', '/phone': 'device', '/all': null, '/sour': 'text', '/wide': 'later' })
  assert.deepEqual(await said({ language: 'de' }), { '/de': null, '/phone': 'device', '/all': 'later', '/sour': 'text', '/wide': 'later' })
})

/** Lets a version of a row have come about on another day. */
async function dateVersion(id: string, version: number, day: string): Promise<void> {
  await rows(world.db, 'UPDATE redirects SET updated_at = $3::timestamptz WHERE id = $1 AND version = $2', [id, version, day])
  await rows(world.db, 'UPDATE redirect_revisions SET at = $3::timestamptz WHERE redirect_id = $1 AND version = $2', [id, version, day])
}

test('a past day is answered by the table as it stood then', async () => {
  let row = await make({ from: '/past', to: '/first' })
  row = must(await world.services.redirects.change(world.editor, row.id, { version: row.version, to: '/second' }))
  row = must(await world.services.redirects.change(world.editor, row.id, { version: row.version, from: '/past*', match: 'pattern' }))
  must(await world.services.redirects.remove(world.editor, row.id))
  for (const [version, day] of [1, 2, 3, 4].entries()) await dateVersion(row.id, version + 1, `2026-03-0${day}`)
  const then = async (address: string, at: string) => (await bench(address, { at })).answer?.location?.replace(HOME, '') ?? null
  assert.equal(await then('/past', '2026-02-27T12:00:00Z'), null)
  assert.equal(await then('/past', '2026-03-01T12:00:00Z'), '/first')
  assert.equal(await then('/past', '2026-03-02T12:00:00Z'), '/second')
  assert.equal(await then('/past-and-gone', '2026-03-02T12:00:00Z'), null)
  assert.equal(await then('/past-and-gone', '2026-03-03T12:00:00Z'), '/second')
  assert.equal(await then('/past', '2026-03-04T12:00:00Z'), null)
})

test('a past day is asked with the pages that were live then', async () => {
  const { id } = await make({ from: '/shelf', to: '/here.html' })
  await rows(world.db, `UPDATE publications SET created_at = '2026-04-02' WHERE site_id = $1`, [world.owner.siteId])
  await dateVersion(id, 1, '2026-03-30')
  const by = async (at: string | undefined) => (await bench('/shelf/', at === undefined ? {} : { at })).rope[0]?.by
  assert.deepEqual([await by('2026-04-01T12:00:00Z'), await by('2026-04-03T12:00:00Z'), await by(undefined)], ['redirect', 'page', 'page'])
})

test('on a short host a row answers that names it, where no short link does; over and under a slug it is refused', async () => {
  const SHORT = 'http://short.localhost:4999'
  await make({ from: '/go/leaflet', to: '/here.html', hosts: ['short.localhost'] })
  await make({ from: '/go/everywhere', to: '/here.html' })
  const found = await bench(`${SHORT}/go/leaflet`)
  assert.deepEqual([found.answer, found.rope.map(({ by }) => by)], [{ status: 301, location: `${HOME}/here.html` }, ['redirect', 'page']])
  assert.equal((await bench(`${SHORT}/go/everywhere`)).answer, null)
  const over = await world.services.redirects.create(world.editor, { from: '/go/old', to: '/here.html', hosts: ['short.localhost'] })
  assert.equal(over.ok ? 'made' : over.fault, 'redirect-under-slug')
  const under = await world.services.shortLinks.create(world.editor, { destination: 'https://tides.example/', slug: 'leaflet' })
  assert.deepEqual(under.ok ? 'made' : [under.fault, under.detail], [
    'slug-hides-redirect',
    { slug: 'leaflet', from: '/go/leaflet', leadsTo: '/here.html' },
  ])
})

test('what is no address of the site’s is refused', async () => {
  for (const [address, fault] of [
    ['https://other.example/', 'unknown-host'],
    ['mailto:a@b.example', 'address-unreadable'],
    ['http://[', 'address-unreadable'],
  ] as const) {
    const answer = await world.services.redirects.bench(world.editor, { address })
    assert.equal(answer.ok ? 'tried' : answer.fault, fault, address)
  }
})

test('a row that is switched off answers on the bench where drafts are asked for, and nowhere else', async () => {
  await make({ from: '/drafted', to: '/about', isOn: false })
  await make({ from: '/drafted/:x', to: '/about', match: 'pattern', isOn: false })
  for (const at of ['/drafted', '/drafted/one']) {
    assert.equal((await bench(at)).answer, null)
    assert.equal((await bench(at, { draft: true })).answer?.status, 301)
  }
})
