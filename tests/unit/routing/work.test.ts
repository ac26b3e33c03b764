import assert from 'node:assert/strict'
import { test } from 'node:test'
import { seeded } from '../../../demo/random.ts'
import {
  ASKED_PATH_MAX_CHARS,
  type Asked,
  considerRedirects,
  LOOK_UP_STEPS_MAX,
  LookUpWork,
  matchRedirect,
  PATTERNS_BY_ONE_TEXT_MAX,
  type Redirect,
  RedirectTable,
  ROWS_AT_ONE_PATH_MAX,
  ROWS_UNDER_ONE_PATH_MAX,
  readyRedirect,
  TOLERANCE,
} from '../../../src/core/routing/index.ts'

const ASKED: Asked = {
  ...{ host: 'site.example', origin: 'https://site.example', isByNameOnly: false, path: '/', query: '', language: null, device: 'other' },
  nowMs: 0,
}
let made = 0
const row = (body: Partial<Redirect>): Redirect => ({
  ...{
    id: `row ${made++}`,
    hosts: [],
    match: 'exact',
    from: '/',
    when: {},
    to: '/to',
    status: 301,
    query: 'drop',
    beatsPages: false,
    order: made,
  },
  ...body,
})

/** Parts of expressions, some of which are slow in engines that go back, and some in those that do not. */
const PARTS = [
  'a',
  '.*',
  '.*?',
  '(a+)',
  '(?:a?){9}',
  '[a-z]+',
  '(\\w+/)*',
  '(a|aa)+',
  '\\d*',
  '(?:x+x+)+',
  '[^/]+',
  '/',
  'abcd',
  '(.*)',
  'a{3,9}',
]

/** A table of rows that can all be saved, of the shapes that cost most at one address; and that address. */
function hardTable(seed: number): { rows: Redirect[]; path: string; query: string } {
  const next = seeded(seed)
  const pick = <T>(of: readonly T[]): T => of[Math.floor(next() * of.length)] as T
  const folders = 1 + Math.floor(next() * 40)
  const segment = 'a'.repeat(1 + Math.floor((next() * ASKED_PATH_MAX_CHARS) / folders))
  const path = `/${Array.from({ length: folders }, () => segment).join('/')}`.slice(0, next() < 0.8 ? ASKED_PATH_MAX_CHARS : 15_000)
  const names = Array.from({ length: 50 }, (_, i) => ({ name: `n${i}`, value: null }))
  const when = pick([{}, { languages: ['de'] }, { query: names, noOtherQuery: true }, { query: [{ name: 'n1', value: 'x' }] }])
  const rows: Redirect[] = []
  for (let i = 0; i < Math.floor(next() * ROWS_AT_ONE_PATH_MAX); i++) rows.push(row({ from: path.slice(0, ASKED_PATH_MAX_CHARS), when }))
  const stems = path.split('/').slice(1, 33)
  if (next() < 0.5)
    for (let depth = 1; depth <= stems.length; depth++)
      for (let i = 0; i < ROWS_UNDER_ONE_PATH_MAX; i++)
        rows.push(row({ match: 'under', from: `/${stems.slice(0, depth).join('/')}`, when }))
  const texts = Math.floor(next() * 30)
  for (let text = 0; text < texts; text++) {
    const parts = Array.from({ length: 1 + Math.floor(next() * 8) }, () => pick(PARTS))
    const from = `${pick(['', '^/', '^', '^/aaaa/'])}${parts.join('')}${pick(['', '$', 'Z', 'b$'])}`
    for (let i = 0; i < PATTERNS_BY_ONE_TEXT_MAX; i++) rows.push(row({ match: 'expression', from, when }))
  }
  return {
    rows: rows.filter((each) => readyRedirect(each, TOLERANCE).ok),
    path,
    query: Array.from({ length: Math.floor(next() * 4_500) }, (_, i) => `n${i}=x`).join('&'),
  }
}

test('no table that can be saved makes one look-up cost more than its steps (400 seeded searches for the worst)', () => {
  let [worst, most] = [0, 0]
  for (let seed = 1; seed <= 400; seed++) {
    const { rows, path, query } = hardTable(seed)
    const table = new RedirectTable(TOLERANCE)
    for (const each of rows) table.add(each)
    const asked = { ...ASKED, path, query, language: 'fr' }
    // What is counted is what is done: so many steps of patterns, and so many rows.
    const done = { steps: 0, rows: 0 }
    const patterns = table.patterns.bind(table)
    const counted = {
      tolerance: table.tolerance,
      hasConditions: table.hasConditions,
      exact: (key: string) => table.exact(key),
      under: (stem: string) => table.under(stem),
      patterns: (text: string) =>
        patterns(text).map((ready) => ({
          ...ready,
          pattern: ready.pattern && {
            ...ready.pattern,
            match: (of: string) => {
              done.steps += ready.pattern?.steps(of.length) ?? 0
              done.rows++
              return ready.pattern?.match(of) ?? null
            },
          },
        })),
    }
    matchRedirect(asked, counted, () => true)
    assert.ok(done.steps <= LOOK_UP_STEPS_MAX, `seed ${seed}: ${done.steps} steps`)
    ;[worst, most] = [Math.max(worst, done.steps), Math.max(most, done.rows)]
  }
  assert.ok(worst > LOOK_UP_STEPS_MAX / 2, `the search finds hard tables at all: ${worst} steps of ${most} rows`)
})

test('what a pattern is said to cost at most grows with its path, and one that costs too much is refused', () => {
  const cost = (from: string, chars: number): number => {
    const ready = readyRedirect(row({ match: 'expression', from }), TOLERANCE)
    return ready.ok ? (ready.value.pattern?.steps(chars) ?? 0) : -1
  }
  assert.ok(cost('^/shop/(.*)/x$', 100) < cost('/shop/(.*)/x$', 100), 'anchored, its beginning is gone through once')
  assert.equal(cost('^/a/very/long/path/that/is/fixed$', 10), cost('^/a/very/long/path/that/is/fixed$', 1_000), 'nothing in it is repeated')
  assert.ok(cost('^/[a-z]+\\d', 1_000) > 3_000)
  assert.equal(cost('(?:[a-z/]{1,40}){1,40}Z', 1), -1)
})

test('a path that is longer than rows are asked about is answered as missing, and the bench says why', () => {
  const table = new RedirectTable(TOLERANCE)
  const longest = `/${'a'.repeat(ASKED_PATH_MAX_CHARS - 1)}`
  for (const from of [longest, '/']) table.add(row({ from, match: from === '/' ? 'under' : 'exact', to: 'https://to.example/' }))
  const at = (path: string): string | null => matchRedirect({ ...ASKED, path }, table, () => false)?.location ?? null
  assert.equal(at(longest), 'https://to.example/')
  assert.equal(at(`${longest}a`), null)
  assert.deepEqual(
    considerRedirects({ ...ASKED, path: `${longest}/` }, table, () => false).map(({ why }) => why),
    ['long'],
  )
  const refused = table.add(row({ from: `${longest}a` }))
  assert.equal(refused.ok ? '' : refused.fault, 'path-too-long')
})

test('rows behind those that took all the work are not asked, and the bench says so', () => {
  const table = new RedirectTable(TOLERANCE)
  const slow = '(.*a){20}\\d'
  for (let i = 0; i < 5; i++) table.add(row({ match: 'expression', from: slow, order: i }))
  const path = `/${'a'.repeat(90)}`
  const considered = considerRedirects({ ...ASKED, path }, table, () => false).map(({ why }) => why)
  assert.deepEqual(considered, ['text', 'text', 'work', 'work', 'work'])
})

test('parameters are read once, by their decoded names, and as many as are looked at', () => {
  const { parameters } = new LookUpWork({ path: '/', query: 'a=1&a=2&b%20c=%C3%A9&d' })
  assert.equal(parameters.names, 3)
  assert.deepEqual(
    [parameters.has('a', '2'), parameters.has('a', '3'), parameters.has('b c', 'é'), parameters.has('d', ''), parameters.has('e', null)],
    [true, false, true, true, false],
  )
  const many = new LookUpWork({ path: '/', query: Array.from({ length: 4_500 }, (_, i) => `n${i}`).join('&') }).parameters
  assert.deepEqual([many.names, many.has('n299', null), many.has('n300', null)], [Number.POSITIVE_INFINITY, true, false])
})
