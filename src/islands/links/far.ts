import type { DestinationGroup, PlacementQuery, ShownPlacements } from '../../core/placements/index.ts'
import { compileRules, type RulesDraft, unheardRules } from '../../core/rules/index.ts'
import { call, wordsOf } from '../../ui/api.ts'
import type { InWords } from '../../words/index.ts'
import type { ShownRow } from './messages.ts'
import type { EngineState } from './state.ts'
import { filterOf } from './view.ts'

/** Rows that are asked for at once. */
const PART = 200
/** Rows that can be chosen one by one: each part of them is asked for. */
export const CHOSEN_MAX = 10_000

/** A list that is too long for a browser: the server finds, counts and sorts, and only what is looked at comes over. */
export class FarList {
  readonly #show: (change: Partial<EngineState>) => void
  #asked: { readonly query: PlacementQuery; readonly isGrouped: boolean } | null = null
  #stop = new AbortController()
  #impactStop = new AbortController()
  #parts = new Map<number, Promise<void>>()
  #rows: ShownRow[] = []
  #groups: DestinationGroup[] | null = null
  #stamp = -1
  #turn = 0

  constructor(show: (change: Partial<EngineState>) => void) {
    this.#show = show
  }

  /** A new question, from its beginning. */
  ask(query: PlacementQuery, isGrouped: boolean): void {
    this.#asked = { query, isGrouped }
    this.#begin()
  }

  /** Something has changed on the server. */
  refresh(): void {
    if (this.#asked !== null) this.#begin()
  }

  /** Makes sure that a stretch of the list is here. */
  async need(from: number, to: number): Promise<void> {
    const parts: Promise<void>[] = []
    for (let part = Math.floor(from / PART); part * PART < to; part++) {
      const known = this.#parts.get(part) ?? this.#read(part)
      this.#parts.set(part, known)
      parts.push(known)
    }
    await Promise.all(parts)
  }

  async impact({ rules, partnersArePaid }: RulesDraft, key: string): Promise<void> {
    this.#impactStop.abort()
    this.#impactStop = new AbortController()
    const { signal } = this.#impactStop
    const startedAt = performance.now()
    try {
      // One that is still being written may have no name yet.
      const named = rules.map((rule) => (rule.name.trim() === '' ? { ...rule, name: 'New rule' } : rule))
      const impact = await call('rules.impact', { body: { rules: named, partnersArePaid } }, signal)
      this.#show({ impact: { impact, unheard: unheardRules(compileRules(rules)), ms: performance.now() - startedAt, of: key } })
    } catch (error) {
      if (!signal.aborted) this.#show({ failure: wordsOf(error) })
    }
  }

  async details(index: number): Promise<void> {
    const row = this.#rows[index]
    if (row === undefined) return
    try {
      const details = await call('placements.details', { query: { pageId: row.pageId, ordinal: row.ordinal } })
      this.#show({ details: { index, details } })
    } catch (error) {
      this.#show({ failure: wordsOf(error) })
    }
  }

  stop(): void {
    this.#stop.abort()
    this.#impactStop.abort()
  }

  #begin(): void {
    this.#stop.abort()
    this.#stop = new AbortController()
    this.#parts = new Map([[0, this.#read(0)]])
  }

  async #read(part: number): Promise<void> {
    const { signal } = this.#stop
    if (this.#asked === null) return
    const { query, isGrouped } = this.#asked
    try {
      const shown = await call(
        'placements.view',
        { query: { ...filterOf(query), from: part * PART, count: PART, grouped: isGrouped ? 'true' : 'false' } },
        signal,
      )
      if (signal.aborted) return
      if (part === 0) this.#takeFirst(shown)
      else if (shown.stamp !== this.#stamp) return this.#begin() // the parts would not fit together
      for (const [k, row] of shown.rows.entries()) this.#rows[part * PART + k] = row
      for (const [k, group] of (shown.groups ?? []).entries()) if (this.#groups !== null) this.#groups[part * PART + k] = group
      this.#show({ rows: this.#rows })
    } catch (error) {
      if (signal.aborted) return
      this.#parts.delete(part)
      this.#show({ failure: wordsOf(error) })
    }
  }

  #takeFirst({ stamp, total, found, groups, numbers }: InWords<ShownPlacements>): void {
    const isOther = this.#stamp !== -1 && stamp !== this.#stamp
    this.#stamp = stamp
    this.#rows = []
    this.#groups = groups === null ? null : Array.from({ length: found })
    if (numbers === null) return
    this.#show({
      ...(isOther ? { turn: ++this.#turn } : {}),
      failure: null,
      total,
      isLoaded: true,
      answer: { ...numbers, found: { length: numbers.links, at: (place) => place }, groups: this.#groups },
    })
  }
}
