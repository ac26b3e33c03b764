import assert from 'node:assert/strict'
import { test } from 'node:test'
import { isBroken, judge, numbersLost, parametersBetween, type SeenHop, STOP_FAULTS, VERDICTS } from '../../../src/core/checks/index.ts'

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
      judge(hops).map(({ verdict }) => verdict),
      verdicts,
    ))

test('what is taken instead is where the moves for good end, not what comes after them', () => {
  const at = (path: string, status: number): SeenHop => hop(status, { address: `https://tides.example${path}` })
  assert.deepEqual(judge([at('/a', 301), at('/b', 308), at('/c', 302), at('/d', 200)])[0], {
    verdict: 'moved',
    at: 0,
    to: 'https://tides.example/c',
  })
})

test('each fault has a verdict, and only what a reader would not find is broken', () => {
  const broken = STOP_FAULTS.filter((fault) => judge([hop(null, { fault })]).some(({ verdict }) => isBroken(verdict)))
  assert.deepEqual(
    STOP_FAULTS.filter((fault) => !broken.includes(fault)),
    ['this-machine', 'private-network'],
  )
  assert.deepEqual(
    VERDICTS.filter((verdict) => !isBroken(verdict)),
    ['number-lost', 'refused', 'moved', 'moved-for-now', 'lands'],
  )
})

test('every status has one end, whatever it is', () => {
  for (let status = 100; status < 600; status++) {
    const [{ verdict }] = judge([hop(status)])
    assert.equal(isBroken(verdict), status === 404 || status === 410 || status >= 500, `${status}`)
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
