import assert from 'node:assert/strict'
import { test } from 'node:test'
import {
  asksForMadeUp,
  isBroken,
  judge,
  numbersLost,
  parametersBetween,
  type SeenHop,
  type SeenPage,
  STOP_FAULTS,
  tellJudged,
  type Visited,
} from '../../../src/core/checks/index.ts'
import { inWords } from '../../../src/words/index.ts'

const hop = (status: number | null, more: Partial<SeenHop> = {}): SeenHop => ({
  address: `https://tides.example/${status ?? 'none'}`,
  by: 'outside',
  status,
  fault: null,
  lost: [],
  ...more,
})

const cases: readonly [name: string, hops: readonly SeenHop[], verdicts: readonly string[]][] = [
  ['lands where it was sent', [hop(200)], ['lands']],
  ['an answer without anything lands', [hop(204)], ['lands']],
  ['nothing there', [hop(404)], ['missing']],
  ['gone', [hop(410)], ['missing']],
  ['broken there', [hop(503)], ['failing']],
  ['robots are turned away', [hop(403)], ['refused']],
  ['asked too often', [hop(429)], ['refused']],
  ['not to be had for reasons of law', [hop(451)], ['refused']],
  ['moved for good', [hop(301), hop(200)], ['moved', 'lands']],
  ['moved for now', [hop(302), hop(200)], ['moved-for-now', 'lands']],
  ['moved to where nothing is', [hop(301), hop(404)], ['missing']],
  ['our own row sends on', [hop(301, { by: 'site' }), hop(200)], ['lands']],
  ['our short link leads to what has moved', [hop(302, { by: 'short link' }), hop(308), hop(200)], ['moved', 'lands']],
  ['a number is lost', [hop(302), hop(200, { lost: ['Bothy Beds'] })], ['number-lost', 'moved-for-now', 'lands']],
  ['a number is lost on the way to nothing', [hop(302), hop(404, { lost: ['Bothy Beds'] })], ['missing', 'number-lost']],
  ['no address behind the name', [hop(null, { fault: 'no-name' })], ['unreachable']],
  ['a certificate that nobody trusts', [hop(null, { fault: 'certificate' })], ['certificate']],
  ['a circle', [hop(302), hop(null, { fault: 'in-a-circle' })], ['goes-round']],
  ['nobody may ask there', [hop(null, { fault: 'private-network' })], ['refused']],
  ['no short link of the name', [hop(404, { by: 'short link', fault: 'no-short-link' })], ['missing']],
]
for (const [name, hops, verdicts] of cases)
  test(`a visit is judged: ${name}`, () =>
    assert.deepEqual(
      judge({ hops }).map(({ verdict }) => verdict),
      verdicts,
    ))

test('what is taken instead is where the moves for good end, not what comes after them', () => {
  const at = (path: string, status: number): SeenHop => hop(status, { address: `https://tides.example${path}` })
  assert.deepEqual(judge({ hops: [at('/a', 301), at('/b', 308), at('/c', 302), at('/d', 200)] })[0], {
    verdict: 'moved',
    at: 0,
    to: 'https://tides.example/c',
  })
})

test('each fault has a verdict, and only what a reader would not find is broken', () => {
  const broken = STOP_FAULTS.filter((fault) => judge({ hops: [hop(null, { fault })] }).some(isBroken))
  assert.deepEqual(
    STOP_FAULTS.filter((fault) => !broken.includes(fault)),
    ['this-machine', 'private-network', 'robots'],
  )
})

const page = (more: Partial<SeenPage> = {}): SeenPage => ({
  title: 'Tide tables',
  print: '00000000ffffffff',
  words: 200,
  saysMissing: false,
  parked: [],
  ...more,
})
const at = (path: string, status = 200, more: Partial<SeenHop> = {}): SeenHop =>
  hop(status, { address: `https://tides.example${path}`, ...more })
const nothing = page({ title: 'Not found', saysMissing: true })

const shown: readonly [name: string, visited: Visited, verdicts: readonly string[]][] = [
  ['a page that says that it is none, and nobody could ask for another', { hops: [at('/a/b')], page: nothing }, ['soft-missing']],
  [
    'the same, and a made-up neighbour is answered alike',
    { hops: [at('/a/b')], page: nothing, madeUp: { status: 200, landedAt: 'https://tides.example/a/x', page: nothing } },
    ['soft-missing'],
  ],
  [
    'the same, and the site tells a made-up neighbour as missing: the page is only called so',
    { hops: [at('/a/b')], page: nothing, madeUp: { status: 404, landedAt: 'https://tides.example/a/x', page: nothing } },
    ['lands'],
  ],
  [
    'sent to the front page, as a made-up neighbour is',
    { hops: [at('/a/b', 302), at('/')], page: page(), madeUp: { status: 302, landedAt: 'https://tides.example/', page: null } },
    ['soft-missing'],
  ],
  [
    'sent to the front page, as no made-up neighbour is',
    { hops: [at('/a/b', 302), at('/')], page: page(), madeUp: { status: 404, landedAt: 'https://tides.example/a/x', page: null } },
    ['moved-for-now', 'lands'],
  ],
  [
    'a site that answers every address with one page',
    { hops: [at('/a/b')], page: page(), madeUp: { status: 200, landedAt: 'https://tides.example/a/x', page: page() } },
    ['lands'],
  ],
  ['for sale by one sign', { hops: [at('/')], page: page({ parked: ['says-for-sale'] }) }, ['lands']],
  ['for sale by two', { hops: [at('/')], page: page({ parked: ['says-for-sale', 'little-text'] }) }, ['parked']],
  ['little text under its own name', { hops: [at('/')], page: page({ parked: ['little-text', 'named-as-its-host'] }) }, ['lands']],
  [
    'for sale elsewhere',
    { hops: [at('/', 302), hop(200, { address: 'https://names.example/?name=tides.example' })], page: page({ parked: ['says-for-sale'] }) },
    ['parked'],
  ],
  [
    'another page than it was',
    { hops: [at('/')], page: page({ title: 'Cheap pills', print: 'ffffffff00000000' }), was: page() },
    ['changed', 'lands'],
  ],
  ['the same page with another text', { hops: [at('/')], page: page({ print: 'ffffffff00000000' }), was: page() }, ['lands']],
  [
    'another title on the same text',
    { hops: [at('/')], page: page({ title: 'Times of the tide' }), was: page({ title: 'Ebb, flood' }) },
    ['lands'],
  ],
  ['slow three times', { hops: [at('/')], page: page(), slowMs: 12_000 }, ['slow', 'lands']],
  ['there by https as well', { hops: [at('/')], page: page(), twin: 'https://tides.example/' }, ['insecure', 'lands']],
  [
    'moved for good, and there by https as well',
    { hops: [at('/a', 301), at('/b')], page: page(), twin: 'https://tides.example/a' },
    ['moved', 'lands'],
  ],
  [
    'a certificate that ends within two weeks',
    { hops: [at('/', 200, { certificateEnds: '2026-12-10T00:00:00Z' })], at: '2026-12-01T00:00:00Z' },
    ['certificate', 'lands'],
  ],
  [
    'one that ends in a month',
    { hops: [at('/', 200, { certificateEnds: '2026-12-31T00:00:00Z' })], at: '2026-12-01T00:00:00Z' },
    ['lands'],
  ],
  ['one that has run out', { hops: [at('/', 200, { status: null, fault: 'certificate-over' })] }, ['certificate']],
]
for (const [name, visited, verdicts] of shown)
  test(`what a page shows is judged: ${name}`, () => {
    const judged = judge(visited)
    assert.deepEqual(
      judged.map(({ verdict }) => verdict),
      verdicts,
    )
    for (const each of judged) assert.ok(inWords(tellJudged(each)).length > 10)
  })

test('only a certificate that is good no more is broken', () => {
  const [soon] = judge({ hops: [at('/', 200, { certificateEnds: '2026-12-10T00:00:00Z' })], at: '2026-12-01T00:00:00Z' })
  assert.equal(isBroken(soon), false)
  assert.equal(isBroken(judge({ hops: [hop(null, { fault: 'certificate-of-nobody' })] })[0]), true)
})

test('a made-up neighbour is asked only where the page gives a reason to', () => {
  assert.equal(asksForMadeUp({ hops: [at('/a/b')], page: page() }), false)
  assert.equal(asksForMadeUp({ hops: [at('/a/b')], page: nothing }), true)
  assert.equal(asksForMadeUp({ hops: [at('/a/b', 301), at('/a/')], page: page() }), true)
  assert.equal(asksForMadeUp({ hops: [at('/a/b', 301), at('/a/c')], page: page() }), false)
})

test('every status has one end, whatever it is', () => {
  for (let status = 100; status < 600; status++) {
    const [judged] = judge({ hops: [hop(status)] })
    assert.equal(isBroken(judged), status === 404 || status === 410 || status >= 500, `${status}`)
  }
})

test('a number that an address carries and the next does not is lost; one too short to tell is not looked for', () => {
  const partners = [
    { name: 'Tides', account: 'id-4471' },
    { name: 'Short', account: '44' },
    { name: 'Spelled', account: 'a b' },
  ]
  assert.deepEqual(numbersLost('https://x.example/?id=id-4471&n=a%20b', 'https://x.example/', partners), ['Tides', 'Spelled'])
  assert.deepEqual(numbersLost('https://x.example/?id=id-4471', 'https://y.example/id-4471', partners), [])
})

test('parameters between two stops are told by their names, each once', () => {
  const between = parametersBetween(new URL('https://x.example/?a=1&b=2&b=3'), new URL('https://x.example/?b=9&c=1&c=2'))
  assert.deepEqual(between, { added: ['c'], dropped: ['a'] })
})
