import type { Transaction } from 'lmdb'
import {
  compareRedirects,
  LOOKED_THROUGH_MAX_CHARS,
  type NeededText,
  PatternIndex,
  type ReadyRedirect,
  type Redirect,
  type RedirectSource,
  readyRedirect,
  TOLERANCE,
  type Tolerance,
} from '../../core/routing/index.ts'
import { KEYS, startingWith } from './format.ts'
import type { Store } from './places.ts'

/** A row as it lies in the store; of one that is found by asking it, with the text that it needs. */
export interface StoredRedirect extends Redirect, Partial<NeededText> {}

/** Rows that are ready are kept up to here, and so much of them, by what stands in the store: most answers are given again and again. */
const READY_MAX = 20_000
const READY_MAX_CHARS = 16 * 1024 * 1024
const ready = new Map<string, readonly ReadyRedirect[]>()
let readyChars = 0

/** Rows for paths, found by the same, ready to be asked; how a site takes addresses makes no difference to them. @param json - as it stands in the store; undefined for none */
export function readyRows(json: string | undefined): readonly ReadyRedirect[] {
  if (json === undefined) return []
  const known = ready.get(json)
  if (known !== undefined) return known
  const rows = (JSON.parse(json) as StoredRedirect[]).flatMap((row) => readyRow(row, TOLERANCE)).sort(compareRedirects)
  if (ready.size >= READY_MAX || readyChars + json.length > READY_MAX_CHARS) {
    ready.clear()
    readyChars = 0
  }
  ready.set(json, rows)
  readyChars += json.length
  return rows
}

const readyRow = (row: StoredRedirect, tolerance: Tolerance): ReadyRedirect[] => {
  const made = readyRedirect(row, tolerance)
  return made.ok ? [made.value] : []
}

/** A row that has to be asked, compiled ahead or when somebody asks: there may be ten thousand. */
class PatternRow implements NeededText {
  readonly id: string
  readonly head: string
  readonly literals: readonly string[]
  readonly #row: StoredRedirect
  #ready: readonly ReadyRedirect[] | null = null
  #as: Tolerance = TOLERANCE

  constructor(row: StoredRedirect) {
    this.#row = row
    this.id = row.id
    this.head = row.head ?? ''
    this.literals = row.literals ?? []
  }

  /** @returns null where it is not compiled yet */
  asReady({ ignoresCase, ignoresSlash }: Tolerance): readonly ReadyRedirect[] | null {
    return this.#as.ignoresCase === ignoresCase && this.#as.ignoresSlash === ignoresSlash ? this.#ready : null
  }

  ready(tolerance: Tolerance): readonly ReadyRedirect[] {
    const known = this.asReady(tolerance)
    if (known !== null) return known
    this.#as = tolerance
    this.#ready = readyRow(this.#row, tolerance)
    return this.#ready
  }
}

/** How often rows that have to be asked have changed, and the keys of those that did so last. */
export interface PatternTurn {
  readonly turn: number
  readonly changed: readonly string[]
}
export const writePatternTurn = (turn: PatternTurn): string => JSON.stringify(turn)
export const readPatternTurn = (json: string | undefined): PatternTurn =>
  json === undefined ? { turn: 0, changed: [] } : (JSON.parse(json) as PatternTurn)

/** So many are compiled ahead, in turns of so long between requests; and so many within one look-up, where it comes before that. */
const AHEAD_MAX = 2_000
const TURN_MS = 1
const WITHIN_LOOK_UP_MAX = 5

/** The rows of one site that have to be asked. What has not changed stays compiled. */
export class SitePatterns {
  readonly #siteId: string
  readonly #index = new PatternIndex<PatternRow>()
  readonly #stored = new Map<string, { json: string; ids: readonly string[] }>()
  /** Null before anything was looked at. */
  #turn: number | null = null
  /** How the site takes addresses, as of the last look-up. */
  #tolerance: Tolerance = TOLERANCE
  #waiting: PatternRow[] = []

  constructor(siteId: string) {
    this.#siteId = siteId
  }

  /** Takes over what has changed in the store since it was looked at. */
  bringUpToDate(store: Store, transaction: Transaction): void {
    const { turn, changed } = readPatternTurn(store.get(KEYS.patterns(this.#siteId), { transaction }))
    if (turn === this.#turn) return
    const isNext = this.#turn !== null && turn === this.#turn + 1
    this.#turn = turn
    if (isNext) {
      for (const key of changed) this.#take(key, store.get(key, { transaction }))
      return
    }
    const left = new Set(this.#stored.keys())
    for (const match of ['pattern', 'expression'])
      for (const { key, value: json } of store.getRange({ ...startingWith(`to ${this.#siteId} ${match}`), transaction })) {
        left.delete(key)
        this.#take(key, json)
      }
    for (const key of left) this.#take(key, undefined)
  }

  /** Takes over what stands behind a key now. */
  #take(key: string, json: string | undefined): void {
    const before = this.#stored.get(key)
    if (before?.json === json) return
    for (const id of before?.ids ?? []) this.#index.remove(id)
    this.#stored.delete(key)
    if (json === undefined) return
    const rows = (JSON.parse(json) as StoredRedirect[]).map((row) => new PatternRow(row))
    for (const row of rows) this.#index.add(row)
    this.#stored.set(key, { json, ids: rows.map(({ id }) => id) })
    if (this.#waiting.length === 0 && rows.length > 0) setImmediate(() => this.#prepare()).unref()
    this.#waiting.push(...rows.slice(0, Math.max(0, AHEAD_MAX - this.#waiting.length)))
  }

  /** Compiles what waits, a little at a time. */
  #prepare(): void {
    const until = performance.now() + TURN_MS
    while (this.#waiting.length > 0 && performance.now() < until) this.#waiting.pop()?.ready(this.#tolerance)
    if (this.#waiting.length > 0) setImmediate(() => this.#prepare()).unref()
  }

  candidates(text: string, tolerance: Tolerance): ReadyRedirect[] {
    if (this.#index.size === 0) return []
    this.#tolerance = tolerance
    let compiled = 0
    return this.#index
      .candidates(text, LOOKED_THROUGH_MAX_CHARS)
      .flatMap((row) => row.asReady(tolerance) ?? (++compiled > WITHIN_LOOK_UP_MAX ? [] : row.ready(tolerance)))
  }
}

/** A site's redirects as they stand at one moment. @param get - reads a key as of then */
export const redirectsIn = (
  siteId: string,
  tolerance: Tolerance,
  patterns: SitePatterns,
  get: (key: string) => string | undefined,
): RedirectSource => ({
  tolerance,
  hasConditions: get(KEYS.conditional(siteId)) === '1',
  exact: (key) => readyRows(get(KEYS.redirects(siteId, 'exact', key))),
  under: (stem) => readyRows(get(KEYS.redirects(siteId, 'under', stem))),
  patterns: (text) => patterns.candidates(text, tolerance),
})
