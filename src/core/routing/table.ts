import { ok, type Result } from '../result.ts'
import {
  compareRedirects,
  isConditional,
  type ReadyRedirect,
  type RedirectFault,
  type RedirectSource,
  readyRedirect,
  redirectKey,
} from './match.ts'
import { plainPath, stemsOf } from './path.ts'
import { foldedText } from './pattern.ts'
import { type NeededText, PatternIndex } from './pattern-index.ts'
import type { Redirect, Tolerance } from './redirect.ts'
import { LOOKED_THROUGH_MAX_CHARS } from './work.ts'

const NONE: readonly never[] = []

/** Rows of one path: mostly one, and then no array is made for it. */
type Filed<R> = R | R[]

interface PatternRow<R> extends ReadyRedirect, NeededText {
  readonly row: Redirect & R
  readonly id: string
}

/**
 * A site's redirects in memory, for what looks through all of them: drafts, the past, replay, review. Taking a row in or out
 * costs what that row is. Rows that are found by their path are made ready when they are asked, as a table may hold a million.
 */
export class RedirectTable<R extends Redirect = Redirect> implements RedirectSource {
  readonly tolerance: Tolerance
  readonly #exact = new Map<string, Filed<R>>()
  readonly #under = new Map<string, Filed<R>>()
  readonly #patterns = new PatternIndex<PatternRow<R>>()
  #conditional = 0

  constructor(tolerance: Tolerance) {
    this.tolerance = tolerance
  }

  get hasConditions(): boolean {
    return this.#conditional > 0
  }

  /** Takes a row in that is known to be readable. One that was there before has to be taken out first. */
  take(row: R): void {
    if (row.match === 'pattern' || row.match === 'expression') return void this.add(row)
    file(this.#filesOf(row), redirectKey(row), row)
    if (isConditional(row.when)) this.#conditional++
  }

  /** Takes a row in. One that was there before has to be taken out first. */
  add(row: R): Result<null, RedirectFault> {
    const ready = readyRedirect(row, this.tolerance)
    if (!ready.ok) return ready
    const { pattern } = ready.value
    if (pattern !== null) this.#patterns.add({ ...ready.value, row, id: row.id, head: pattern.head, literals: pattern.literals })
    else file(this.#filesOf(row), redirectKey(row), row)
    if (isConditional(row.when)) this.#conditional++
    return ok(null)
  }

  /** Takes a row out, as it was taken in. */
  remove(row: R): void {
    if (row.match === 'pattern' || row.match === 'expression') this.#patterns.remove(row.id)
    else unfile(this.#filesOf(row), redirectKey(row), row.id)
    if (isConditional(row.when)) this.#conditional--
  }

  /** Rows that are filed under a path, as they are. */
  rowsAt(match: 'exact' | 'under', key: string): readonly R[] {
    const filed = (match === 'under' ? this.#under : this.#exact).get(key)
    return filed === undefined ? NONE : listOf(filed)
  }

  /** Whether any other row may be asked for the path of this exact one before it is: another of its path, or one with a condition. */
  mayComeLate(row: R): boolean {
    const key = redirectKey(row)
    if (this.rowsAt('exact', key).length > 1) return true
    if (!this.hasConditions) return false
    return (
      stemsOf(key).some((stem) => this.rowsAt('under', stem).some(({ when }) => isConditional(when))) ||
      this.patterns(foldedText(plainPath(row.from))).some(({ isForSome }) => isForSome)
    )
  }

  /** Exact rows that no other stands beside. */
  *alone(): Generator<Redirect> {
    for (const filed of this.#exact.values()) if (!Array.isArray(filed)) yield filed
  }

  /** Every row, with whether it is an exact one that no other stands beside. */
  *all(): Generator<readonly [row: R, isAlone: boolean]> {
    for (const filed of this.#exact.values())
      if (Array.isArray(filed)) for (const row of filed) yield [row, false]
      else yield [filed, true]
    for (const filed of this.#under.values()) for (const row of listOf(filed)) yield [row, false]
    for (const { row } of this.#patterns.all()) yield [row, false]
  }

  exact(key: string): readonly ReadyRedirect[] {
    return this.#ready(this.#exact.get(key))
  }

  under(stem: string): readonly ReadyRedirect[] {
    return this.#ready(this.#under.get(stem))
  }

  patterns(text: string): readonly ReadyRedirect[] {
    return this.#patterns.candidates(text, LOOKED_THROUGH_MAX_CHARS)
  }

  #filesOf({ match }: R): Map<string, Filed<R>> {
    return match === 'under' ? this.#under : this.#exact
  }

  #ready(filed: Filed<R> | undefined): readonly ReadyRedirect[] {
    if (filed === undefined) return []
    return listOf(filed)
      .flatMap((row) => {
        const ready = readyRedirect(row, this.tolerance)
        return ready.ok ? [ready.value] : []
      })
      .sort(compareRedirects)
  }
}

const listOf = <R>(filed: Filed<R>): readonly R[] => (Array.isArray(filed) ? filed : [filed])

function file<R>(files: Map<string, Filed<R>>, key: string, row: R): void {
  const there = files.get(key)
  if (there === undefined) files.set(key, row)
  else if (Array.isArray(there)) there.push(row)
  else files.set(key, [there, row])
}

function unfile<R extends { readonly id: string }>(files: Map<string, Filed<R>>, key: string, id: string): void {
  const there = files.get(key)
  const left = there === undefined ? [] : listOf(there).filter((row) => row.id !== id)
  const [one] = left
  if (one === undefined) files.delete(key)
  else files.set(key, left.length === 1 ? one : left)
}
