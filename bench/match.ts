import { setFlagsFromString } from 'node:v8'
import { runInNewContext } from 'node:vm'
import { type Asked, matchRedirect, plainPath, type Redirect, RedirectTable, TOLERANCE } from '../src/core/routing/index.ts'
import { byTurns, type Row, rateOf, sized } from './measure.ts'

const FEW = sized(1_000)
const MANY = sized(1_000_000)
const PATTERNS = sized(10_000)
const ASKED_AT_ONCE = 2_000
const ROUNDS = 7
const ROUND_MS = 700
/** What a row may take beyond its strings. */
const BYTES_MAX = 300

const NO_HOSTS: readonly string[] = []
const NO_CONDITIONS = {}
const row = (n: number, given: Pick<Redirect, 'match' | 'from' | 'to'>): Redirect => ({
  id: `row-${n}`,
  hosts: NO_HOSTS,
  match: given.match,
  from: given.from,
  when: NO_CONDITIONS,
  to: given.to,
  status: 301,
  query: 'drop',
  beatsPages: false,
  order: n,
})
const pathOf = (n: number): string => `/${['islands', 'walks', 'boats', 'news'][n % 4]}/${n % 97}/article-${n}.html`
const asked = (path: string): Asked => ({
  host: 'site.example',
  origin: 'https://site.example',
  isByNameOnly: false,
  path: plainPath(path),
  query: '',
  language: null,
  device: 'computer',
  nowMs: 0,
})
const noPage = (): boolean => false

function gcNow(): number {
  setFlagsFromString('--expose-gc')
  const collect = runInNewContext('gc') as () => void
  collect()
  collect()
  return process.memoryUsage().heapUsed
}

/** A million exact rows against a thousand: the time of one match, and what a row takes in memory beyond its strings. */
export async function matchExact(): Promise<Row> {
  // As they are read from somewhere: one that is put together takes more until it is looked at.
  const whole = (text: string): string => Buffer.from(text, 'latin1').toString('latin1')
  const strings = Array.from({ length: MANY }, (_, n) => ({ from: whole(pathOf(n)), to: whole(`/new${pathOf(n)}`), id: whole(`row-${n}`) }))
  const before = gcNow()
  const many = new RedirectTable(TOLERANCE)
  for (let n = 0; n < MANY; n++) {
    const { from = '', to = '', id = '' } = strings[n] ?? {}
    many.add({ ...row(n, { match: 'exact', from, to }), id })
  }
  const bytes = (gcNow() - before) / MANY
  // Until here the strings are there without the rows, or what they take would be counted as given back.
  if (strings.length !== MANY) throw new Error('the strings are gone')
  const few = new RedirectTable(TOLERANCE)
  for (let n = 0; n < FEW; n++) few.add(row(n, { match: 'exact', from: pathOf(n), to: `/new${pathOf(n)}` }))
  const round = (table: RedirectTable, rows: number) => () => {
    let found = 0
    return rateOf(ASKED_AT_ONCE, ROUND_MS, () => {
      for (let k = 0; k < ASKED_AT_ONCE; k++) if (matchRedirect(asked(pathOf((k * 7_919) % rows)), table, noPage) !== null) found++
      if (found === 0) throw new Error('nothing was found')
    })
  }
  const { ours, peer } = await byTurns(ROUNDS, round(many, MANY), round(few, FEW))
  return {
    name: 'match-exact',
    ours: 1e6 / ours,
    peer: 1e6 / peer,
    unit: 'µs',
    goal: bytes <= BYTES_MAX ? 3 : 0,
    isAtMost: true,
    note: `${bytes.toFixed(0)} bytes a row beyond its strings (at most ${BYTES_MAX})`,
  }
}

/** Ten thousand patterns, of which half the addresses meet one, against a loop over as many regular expressions. */
export async function matchPattern(): Promise<Row> {
  const table = new RedirectTable(TOLERANCE)
  const loop: RegExp[] = []
  for (let n = 0; n < PATTERNS; n++) {
    const words = `${['isle', 'walk', 'boat', 'news'][n % 4]}-${n}`
    if (n % 3 === 0) {
      table.add(row(n, { match: 'expression', from: `^/${words}/(\\d+)$`, to: `/new/${n}/$1` }))
      loop.push(new RegExp(`^/${words}/(\\d+)$`, 'i'))
    } else {
      table.add(row(n, { match: 'pattern', from: `/${words}/:id/*`, to: `/new/${n}/$id` }))
      loop.push(new RegExp(`^/${words}/([^/]+?)/(.*)$`, 'i'))
    }
  }
  const paths = Array.from({ length: ASKED_AT_ONCE }, (_, k) => {
    const n = (k * 7_919) % PATTERNS
    return k % 2 === 0 ? `/${['isle', 'walk', 'boat', 'news'][n % 4]}-${n}/${k}${n % 3 === 0 ? '' : '/rest'}` : `/another/${k}/page.html`
  })
  let [found, foundByLoop] = [0, 0]
  const { ours, peer } = await byTurns(
    ROUNDS,
    () =>
      rateOf(ASKED_AT_ONCE, ROUND_MS, () => {
        found = 0
        for (const path of paths) if (matchRedirect(asked(path), table, noPage) !== null) found++
      }),
    () =>
      rateOf(20, ROUND_MS, () => {
        foundByLoop = 0
        for (const path of paths.slice(0, 20)) if (loop.some((each) => each.test(path))) foundByLoop++
      }),
  )
  if (found !== ASKED_AT_ONCE / 2 || foundByLoop !== 10) throw new Error(`found ${found} and ${foundByLoop}`)
  return { name: 'match-pattern', ours, peer, unit: 'matches/s', goal: 100 }
}
