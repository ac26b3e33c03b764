import type { Device } from '../clicks/index.ts'
import { fail, ok, type Result } from '../result.ts'
import { type CompiledDestination, compileDestination, type DestinationFault, decodedName } from './destination.ts'
import { pathKey, plainPath, stemsOf, UNDER_SEGMENTS_MAX, withoutEndSlashes } from './path.ts'
import { type CompiledPattern, compileExpression, compilePathPattern, foldedText, type PatternFault } from './pattern.ts'
import { leadsOn, type Redirect, type RedirectConditions, type RedirectStatus, TOLERANCE, type Tolerance } from './redirect.ts'

/** What is asked of a site's redirects. */
export interface Asked {
  /** Lower case, without port. */
  readonly host: string
  /** Of that host, as visitors type it: scheme, name and port. */
  readonly origin: string
  /** A front door or a short host: something else answers there, and only rows that name the host come in. */
  readonly isByNameOnly: boolean
  /** See `plainPath`. */
  readonly path: string
  /** As sent, without "?"; "" for none. */
  readonly query: string
  /** Primary subtag of the visitor's first language; null where none is named. */
  readonly language: string | null
  readonly device: Device
  /** UTC. */
  readonly nowMs: number
}

/** A row that is ready to be asked. */
export interface ReadyRedirect {
  readonly row: Redirect
  /** Null for rows that are found by their path. */
  readonly pattern: CompiledPattern | null
  /** Null where the status leads nowhere. */
  readonly destination: CompiledDestination | null
  /** How much of a path it fixes, by which rows of one kind are told apart. */
  readonly fixedChars: number
  /** Segments of its own path. */
  readonly depth: number
}

/** Where rows are found. Each look-up costs the same however many rows there are. */
export interface RedirectSource {
  readonly tolerance: Tolerance
  /** Whether any row has a condition: then an exact one is not the end of it. */
  readonly hasConditions: boolean
  /** Rows for just this path, in any order. @param key - see `pathKey` */
  exact(key: string): readonly ReadyRedirect[]
  /** Rows for everything under this path, in any order. */
  under(stem: string): readonly ReadyRedirect[]
  /** Rows by patterns and expressions that may match, in any order. @param text - see `foldedText` */
  patterns(text: string): readonly ReadyRedirect[]
}

export type RedirectFault = PatternFault | DestinationFault | 'path-unreadable' | 'path-too-deep'

/** Makes a row ready. */
export function readyRedirect(row: Redirect, { ignoresCase, ignoresSlash }: Tolerance): Result<ReadyRedirect, RedirectFault> {
  let pattern: CompiledPattern | null = null
  let [fixedChars, depth] = [0, 0]
  if (row.match === 'pattern' || row.match === 'expression') {
    const compiled =
      row.match === 'pattern' ? compilePathPattern(row.from, ignoresCase, ignoresSlash) : compileExpression(row.from, ignoresCase)
    if (!compiled.ok) return compiled
    pattern = compiled.value
    fixedChars = pattern.literals.reduce((sum, each) => sum + each.length, 0)
  } else if (!row.from.startsWith('/')) return fail('path-unreadable', { from: row.from })
  else if (row.match === 'under') {
    const stem = withoutEndSlashes(plainPath(row.from))
    if (stem !== '/') [fixedChars, depth] = [stem.length, stem.split('/').length - 1]
    if (depth > UNDER_SEGMENTS_MAX) return fail('path-too-deep', { most: UNDER_SEGMENTS_MAX })
  }
  const found = { row, pattern, fixedChars, depth }
  if (!leadsOn(row.status)) return ok({ ...found, destination: null })
  const names = pattern?.names ?? (row.match === 'under' ? ['', 'rest'] : [])
  const destination = compileDestination(row.to, { names, appends: row.match === 'under', query: row.query })
  return destination.ok ? ok({ ...found, destination: destination.value }) : destination
}

/** What a row of "exact" or "under" is filed under: its path, as {@link Asked} paths are looked up. */
export function redirectKey({ from }: Pick<Redirect, 'from'>): string {
  const key = pathKey(plainPath(from), TOLERANCE)
  return key === from ? from : key // one text for both, where a table holds a million
}

/** Whether a row may answer only under a condition. */
export const isConditional = ({ query, noOtherQuery, languages, devices, fromMs, untilMs }: RedirectConditions): boolean =>
  (query ?? []).length > 0 ||
  noOtherQuery === true ||
  (languages ?? []).length > 0 ||
  (devices ?? []).length > 0 ||
  fromMs !== undefined ||
  untilMs !== undefined

const KIND_ORDER = { exact: 0, under: 1, pattern: 2, expression: 2 } as const

/** The order of `PRECEDENCE`, pages left out: negative where `a` is asked first. */
export function compareRedirects(a: ReadyRedirect, b: ReadyRedirect): number {
  return (
    Number(isConditional(b.row.when)) - Number(isConditional(a.row.when)) ||
    KIND_ORDER[a.row.match] - KIND_ORDER[b.row.match] ||
    b.fixedChars - a.fixedChars ||
    Number(b.row.hosts.length > 0) - Number(a.row.hosts.length > 0) ||
    a.row.order - b.row.order ||
    (a.row.id < b.row.id ? -1 : 1)
  )
}

/** What an address is answered with. */
export interface RedirectAnswer {
  readonly row: Redirect
  readonly status: RedirectStatus
  /** Absolute and ASCII; null where the status leads nowhere. */
  readonly location: string | null
}

/** Why a row does not answer. "later": one that is asked before it does. */
export const NOT_ANSWERING = ['host', 'page', 'query', 'language', 'device', 'time', 'text', 'destination', 'later'] as const
export type NotAnswering = (typeof NOT_ANSWERING)[number]

/** A row that was considered, and the answer or why it has none. */
export interface Considered {
  readonly row: Redirect
  readonly answer: RedirectAnswer | null
  readonly why: NotAnswering | null
}

/**
 * The answer of a site's redirects to an address; null where no row has one.
 * @param hasPage - whether a page or file is published there; asked at most once
 */
export function matchRedirect(asked: Asked, source: RedirectSource, hasPage: () => boolean): RedirectAnswer | null {
  for (const answer of redirectsInTurn(asked, source, hasPage)) return answer
  return null
}

/** The answer, and behind it those that there would be without the rows that come before. @param hasPage - see {@link matchRedirect} */
export function* redirectsInTurn(asked: Asked, source: RedirectSource, hasPage: () => boolean): Generator<RedirectAnswer> {
  let isPage: boolean | null = null
  const page = (): boolean => (isPage ??= hasPage())
  for (const ready of candidates(asked, source)) {
    const found = ask(ready, asked, source.tolerance, page)
    if (typeof found !== 'string') yield found
  }
}

/** Every row that an address brings up, in the order they are asked, with what became of each. */
export function considerRedirects(asked: Asked, source: RedirectSource, hasPage: () => boolean): readonly Considered[] {
  let isAnswered = false
  return [...source.exact(pathKey(asked.path, TOLERANCE)), ...wider(asked, source)].sort(compareRedirects).map((ready) => {
    const { row } = ready
    const found = ask(ready, asked, source.tolerance, hasPage)
    if (typeof found === 'string') return { row, answer: null, why: found }
    if (isAnswered) return { row, answer: null, why: 'later' }
    isAnswered = true
    return { row, answer: found, why: null }
  })
}

/** Rows that may answer, in the order they are asked. */
function candidates(asked: Asked, source: RedirectSource): Iterable<ReadyRedirect> {
  const exact = source.exact(pathKey(asked.path, TOLERANCE))
  // Nothing comes before an exact row but one with a condition: most answers are found by one look-up.
  if (exact.length > 0 && !source.hasConditions) return inTurn(exact, () => wider(asked, source))
  return [...exact, ...wider(asked, source)].sort(compareRedirects)
}

function* inTurn(first: readonly ReadyRedirect[], rest: () => ReadyRedirect[]): Generator<ReadyRedirect> {
  yield* first.length === 1 ? first : [...first].sort(compareRedirects)
  yield* rest().sort(compareRedirects)
}

/** All but the exact rows. */
function wider({ path }: Asked, source: RedirectSource): ReadyRedirect[] {
  const found: ReadyRedirect[] = []
  for (const stem of stemsOf(pathKey(path, TOLERANCE))) found.push(...source.under(stem))
  found.push(...source.patterns(foldedText(path)))
  return found
}

function ask(ready: ReadyRedirect, asked: Asked, tolerance: Tolerance, hasPage: () => boolean): RedirectAnswer | NotAnswering {
  const { row, pattern, destination } = ready
  if ((row.hosts.length > 0 || asked.isByNameOnly) && !row.hosts.includes(asked.host)) return 'host'
  const caught = pattern === null ? caughtUnder(ready, asked.path) : pattern.match(asked.path)
  if (caught === null || !isTolerated(row, asked.path, tolerance)) return 'text'
  const unmet = unmetCondition(row.when, asked)
  if (unmet !== null) return unmet
  if (!row.beatsPages && hasPage()) return 'page'
  if (destination === null) return { row, status: row.status, location: null }
  const location = destination.always ?? destination.fill(caught, asked.query, asked.origin)
  return location === null ? 'destination' : { row, status: row.status, location }
}

/** Whether a row that was found by the widest tolerance is meant also by the site's own. Patterns are compiled by it. */
function isTolerated({ match, from }: Redirect, path: string, { ignoresCase, ignoresSlash }: Tolerance): boolean {
  if (ignoresCase && (ignoresSlash || match !== 'exact')) return true
  if (match === 'pattern' || match === 'expression') return true
  const own = plainPath(from)
  if (match === 'exact') return pathKey(own, { ignoresCase, ignoresSlash }) === pathKey(path, { ignoresCase, ignoresSlash })
  const stem = withoutEndSlashes(own)
  return stem === '/' || path === stem || path.startsWith(`${stem}/`)
}

const NOTHING: readonly string[] = []

/** What comes behind the path of a row of "everything under", without and with its slash; nothing for others. */
function caughtUnder({ row: { match }, depth }: ReadyRedirect, path: string): readonly string[] {
  if (match !== 'under') return NOTHING
  const behind = path.split('/').slice(depth + 1)
  const text = behind.join('/')
  return [text, behind.length === 0 ? '' : `/${text}`]
}

/** @returns null where all of them are met */
export function unmetCondition(
  when: RedirectConditions,
  asked: Pick<Asked, 'query' | 'language' | 'device' | 'nowMs'>,
): NotAnswering | null {
  const { query = [], noOtherQuery = false, languages = [], devices = [], fromMs, untilMs } = when
  if (fromMs !== undefined && asked.nowMs < fromMs) return 'time'
  if (untilMs !== undefined && asked.nowMs >= untilMs) return 'time'
  if (languages.length > 0 && (asked.language === null || !languages.includes(asked.language))) return 'language'
  if (devices.length > 0 && !devices.includes(asked.device)) return 'device'
  if (query.length === 0 && !noOtherQuery) return null
  const pairs = asked.query === '' ? [] : asked.query.split('&').map(pairOf)
  const isThere = query.every(({ name, value }) => pairs.some(([key, given]) => key === name && (value === null || given === value)))
  const hasOther = noOtherQuery && pairs.some(([key]) => !query.some(({ name }) => name === key))
  return isThere && !hasOther ? null : 'query'
}

function pairOf(pair: string): readonly [name: string, value: string] {
  const at = pair.indexOf('=')
  return at === -1 ? [decodedName(pair), ''] : [decodedName(pair.slice(0, at)), decodedName(pair.slice(at + 1))]
}
