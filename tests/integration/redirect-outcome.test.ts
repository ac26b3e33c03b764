import assert from 'node:assert/strict'
import { after, before, test } from 'node:test'
import type { RedirectNew } from '../../src/contract/redirects.ts'
import { countedAnswer } from '../../src/delivery/answers.ts'
import { type Delivering, deliver } from './delivering.ts'
import { bringIn, makeWorld, must, type World, zipOf } from './world.ts'

let world: World
let delivering: Delivering
after(() => delivering.stop())
before(async () => {
  world = await makeWorld()
  await bringIn(world, zipOf({ 'here.html': '<title>Here</title>' }))
  must(await world.services.publications.create(world.owner, { all: true }))
  delivering = await deliver(world)
})
const make = async (wanted: RedirectNew) => must(await world.services.redirects.create(world.editor, wanted))
/** Of a row before it is kept, and then as it is: both have to say the same, and visitors to get it. */
async function said(wanted: RedirectNew) {
  const tried = must(await world.services.redirects.outcome(world.editor, { row: wanted }))
  const row = await make(wanted)
  const kept = must(await world.services.redirects.outcome(world.editor, { id: row.id }))
  assert.deepEqual(kept, tried, 'a row that is kept does what was foretold')
  if (kept.address !== null) assert.equal((await answeredBy(kept.address, wanted)) === row.id, kept.state === 'answers', wanted.from)
  return kept
}
/** The row by which delivery answers somebody whom a row is for. */
async function answeredBy(address: string, { when = {} }: RedirectNew): Promise<string | null> {
  await delivering.refresh()
  const view = delivering.delivery.store.begin()
  const { hostname, pathname, search } = new URL(address)
  const entry = view?.host(hostname) ?? null
  assert.ok(view !== null && view !== undefined && entry !== null)
  const language = when.languages?.[0]
  const asked = { host: hostname, method: 'GET', url: pathname + search, language, agent: undefined, nowMs: Date.now(), visitor: () => '' }
  const answer = countedAnswer(view, entry, asked)
  view.done()
  return answer?.countedAs ?? null
}
const hourMs = 3_600_000
const inHours = (hours: number): string => new Date(Date.now() + hours * hourMs).toISOString()

test('what a row does is told as it is: it answers and lands, or why not', async () => {
  const { address, ...plain } = await said({ from: '/old', to: '/here.html' })
  assert.equal(address, 'http://site.localhost:4999/old')
  assert.deepEqual([plain.state, plain.lands, plain.landsOn?.replace(/^.*4999/, '')], ['answers', 'page', '/here.html'])
  assert.deepEqual((({ state, lands }) => [state, lands])(await said({ from: '/lost', to: '/nowhere.html' })), ['answers', 'nothing'])
  assert.deepEqual((({ state, lands }) => [state, lands])(await said({ from: '/went', status: 410 })), ['answers', 'gone'])
  assert.equal((await said({ from: '/here.html', to: '/' })).state, 'page')
  assert.equal((await said({ from: '/off', to: '/here.html', isOn: false })).state, 'off')
  assert.equal((await said({ from: '/tomorrow', to: '/here.html', when: { from: inHours(24) } })).state, 'not yet')
  assert.equal((await said({ from: '/past', to: '/here.html', when: { until: inHours(-24) } })).state, 'over')
  assert.equal(
    (await said({ from: '/de', to: '/here.html', when: { languages: ['de'], query: [{ name: 'id', value: '7' }] } })).state,
    'answers',
  )
  assert.equal((await said({ match: 'pattern', from: '/isles/:name', to: '/here.html' })).state, 'answers')
  assert.equal((await said({ match: 'expression', from: '^/p/(\\d+)$', to: '/here.html' })).state, 'answers')
  assert.equal((await said({ match: 'expression', from: '(?:a|b){2,9}z', to: '/here.html' })).state, 'unknown')
})

test('a row that catches everything tells which rows it hides before it is kept', async () => {
  const wide = await said({ match: 'under', from: '/', to: '/here.html' })
  assert.equal(wide.state, 'answers')
  const { names = [], ...hides } = wide.hides ?? {}
  assert.deepEqual([...names].sort(), ['(?:a|b){2,9}z', '/isles/:name', '^/p/(\\d+)$'])
  assert.deepEqual(hides, { rows: 3, visits: 0, isWhole: true, catchesRobots: true })
  const { state, first } = await said({ match: 'pattern', from: '/late/:name', to: '/here.html' })
  assert.deepEqual([state, first?.from], ['row', '/'])
  const { state: under, lands } = await said({ match: 'under', from: '/here.html', to: '/$1' })
  assert.deepEqual([under, lands], ['answers', null], 'a page at the head of a folder says nothing of what is under it')
  // The review blames the row that is in the way, once.
  const { items } = must(await world.services.redirectReview.look(world.owner, { cursor: 0, kind: 'hides' }))
  assert.deepEqual(
    items.map(({ kind, row }) => [kind, row.from]),
    [['hides', '/']],
  )
})
