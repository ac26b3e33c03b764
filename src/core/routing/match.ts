import { tell } from '../../words/index.ts'
import type { Device } from '../clicks/index.ts'
import { fail, ok, type Result } from '../result.ts'
import { type CompiledDestination, compileDestination, type DestinationFault } from './destination.ts'
import type { QueryParameters } from './parameters.ts'
import { pathKey, plainPath, stemsOf, UNDER_SEGMENTS_MAX, withoutEndSlashes } from './path.ts'
import { type CompiledPattern, compileExpression, compilePathPattern, foldedText, type PatternFault } from './pattern.ts'
import { leadsOn, type Redirect, type RedirectConditions, type RedirectStatus, TOLERANCE, type Tolerance } from './redirect.ts'
import { ASKED_PATH_MAX_CHARS, LookUpWork } from './work.ts'

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
  /** It may answer only under a condition. */
  readonly isForSome: boolean
}

/** Where rows are found. Each look-up costs the same however many rows there are; those of one path stand in the order in which they are asked. */
export interface RedirectSource {
  readonly tolerance: Tolerance
  /** Whether any row has a condition: then an exact one is not the end of it. */
  readonly hasConditions: boolean
  /** Rows for just this path. @param key - see `pathKey` */
  exact(key: string): readonly ReadyRedirect[]
  /** Rows for everything under this path. */
  under(stem: string): readonly ReadyRedirect[]
  /** Rows by patterns and expressions that may match, in any order. @param text - see `foldedText` */
  patterns(text: string): readonly ReadyRedirect[]
}

export type RedirectFault = PatternFault | DestinationFault | 'path-unreadable' | 'path-too-deep' | 'path-too-long'

/** Browsers write it as a slash, and an escape stays one (`plainPath`). */
export const NO_BACKSLASH = tell('redirect.backslash')

/** Makes a row ready. */
export function readyRedirect(row: Redirect, { ignoresCase, ignoresSlash }: Tolerance): Result<ReadyRedirect, RedirectFault> {
  let pattern: CompiledPattern | null = null
  let [fixedChars, depth] = [0, 0]
  if (row.match === 'pattern' || row.match === 'expression') {
    const compiled =
      row.match === 'pattern' ? compilePathPattern(row.from, ignoresCase, ignoresSlash) : compileExpression(row.from, ignoresCase)
    if (!compiled.ok) return compiled
    pattern = compiled.value
    if (pattern.literals.some((text) => text.includes('\\'))) return fail('path-unreadable', { from: row.from, why: NO_BACKSLASH })
    fixedChars = pattern.literals.reduce((sum, each) => sum + each.length, 0)
  } else if (!row.from.startsWith('/')) return fail('path-unreadable', { from: row.from })
  else if (row.from.length > ASKED_PATH_MAX_CHARS) return fail('path-too-long', { most: ASKED_PATH_MAX_CHARS })
  else if (row.match === 'under') {
    const stem = withoutEndSlashes(plainPath(row.from))
    if (stem !== '/') [fixedChars, depth] = [stem.length, stem.split('/').length - 1]
    if (depth > UNDER_SEGMENTS_MAX) return fail('path-too-deep', { most: UNDER_SEGMENTS_MAX })
  }
  const found = { row, pattern, fixedChars, depth, isForSome: isConditional(row.when) }
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
    Number(b.isForSome) - Number(a.isForSome) ||
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

/**
 * Why a row does not answer. "later": one that is asked before it does. "long": the path is longer than any that is asked about.
 * "work": asking those before it took all the work that one look-up may cost.
 */
export const NOT_ANSWERING = [
  'host',
  'page',
  'query',
  'language',
  'device',
  'time',
  'text',
  'destination',
  'later',
  'long',
  'work',
] as const
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
  const work = new LookUpWork(asked)
  let isPage: boolean | null = null
  const page = (): boolean => (isPage ??= hasPage())
  for (const ready of candidates(asked, source, work)) {
    const found = ask(ready, asked, source.tolerance, work, page)
    if (found === 'work') return
    if (typeof found !== 'string') yield found
  }
}

/** Every row that an address brings up, in the order they are asked, with what became of each. */
export function considerRedirects(asked: Asked, source: RedirectSource, hasPage: () => boolean): readonly Considered[] {
  const work = new LookUpWork(asked)
  if (work.isTooLong) return source.exact(pathKey(asked.path, TOLERANCE)).map(({ row }) => ({ row, answer: null, why: 'long' }))
  let isAnswered = false
  return [...candidates(asked, source, work)].map((ready) => {
    const { row } = ready
    const found = ask(ready, asked, source.tolerance, work, hasPage)
    if (typeof found === 'string') return { row, answer: null, why: found }
    if (isAnswered) return { row, answer: null, why: 'later' }
    isAnswered = true
    return { row, answer: found, why: null }
  })
}

/** Rows that may answer, in the order they are asked; the rarer are looked for when it is their turn. */
function* candidates(asked: Asked, source: RedirectSource, work: LookUpWork): Generator<ReadyRedirect> {
  if (work.isTooLong) return
  const key = pathKey(asked.path, TOLERANCE)
  const exact = source.exact(key)
  // Nothing comes before an exact row but one with a condition: most answers are found by one look-up.
  if (!source.hasConditions) yield* exact
  const others = [...stemsOf(key).map((stem) => source.under(stem)), [...source.patterns(foldedText(asked.path))].sort(compareRedirects)]
  if (source.hasConditions) for (const rows of [exact, ...others]) yield* rows.filter(({ isForSome }) => isForSome)
  for (const rows of source.hasConditions ? [exact, ...others] : others) yield* rows.filter(({ isForSome }) => !isForSome)
}

function ask(
  ready: ReadyRedirect,
  asked: Asked,
  tolerance: Tolerance,
  work: LookUpWork,
  hasPage: () => boolean,
): RedirectAnswer | NotAnswering {
  const { row, pattern, destination } = ready
  if (!work.has(stepsOf(ready, asked))) return 'work'
  if ((row.hosts.length > 0 || asked.isByNameOnly) && !row.hosts.includes(asked.host)) return 'host'
  const caught = pattern === null ? NOTHING : pattern.match(asked.path)
  if (caught === null || !isTolerated(row, asked.path, tolerance)) return 'text'
  const unmet = ready.isForSome ? unmetCondition(row.when, asked, work.parameters) : null
  if (unmet !== null) return unmet
  if (!row.beatsPages && hasPage()) return 'page'
  if (destination === null) return { row, status: row.status, location: null }
  const location =
    destination.always ?? destination.fill(pattern === null ? caughtUnder(ready, asked.path) : caught, asked.query, asked.origin)
  return location === null ? 'destination' : { row, status: row.status, location }
}

/** Steps of looking at a row that is no pattern, besides one of each host or parameter that it names; and the characters of its path that one takes. */
const ROW_STEPS = 8
const CHARS_A_STEP = 16
function stepsOf({ row, pattern, isForSome }: ReadyRedirect, { path }: Asked): number {
  const named = row.hosts.length + (isForSome ? (row.when.query?.length ?? 0) + (row.when.languages?.length ?? 0) : 0)
  return ROW_STEPS + named + (pattern === null ? row.from.length / CHARS_A_STEP : pattern.steps(path.length))
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
  asked: Pick<Asked, 'language' | 'device' | 'nowMs'>,
  parameters: QueryParameters,
): NotAnswering | null {
  const { query = [], noOtherQuery = false, languages = [], devices = [], fromMs, untilMs } = when
  if (fromMs !== undefined && asked.nowMs < fromMs) return 'time'
  if (untilMs !== undefined && asked.nowMs >= untilMs) return 'time'
  if (languages.length > 0 && (asked.language === null || !languages.includes(asked.language))) return 'language'
  if (devices.length > 0 && !devices.includes(asked.device)) return 'device'
  if (query.some(({ name, value }) => !parameters.has(name, value))) return 'query'
  // Each that is asked for is there: there are others where there are more names.
  return noOtherQuery && parameters.names > new Set(query.map(({ name }) => name)).size ? 'query' : null
}
