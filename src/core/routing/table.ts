import { ok, type Result } from '../result.ts'
import { isConditional, type ReadyRedirect, type RedirectFault, type RedirectSource, readyRedirect, redirectKey } from './match.ts'
import { PatternIndex } from './pattern-index.ts'
import type { Redirect, Tolerance } from './redirect.ts'

/** Rows of one path: mostly one, and then no array is made for it. */
type Filed = Redirect | Redirect[]

interface PatternRow extends ReadyRedirect {
  readonly id: string
  readonly literals: readonly string[]
}

/**
 * A site's redirects in memory, for what looks through all of them: drafts, the past, replay, review. Taking a row in or out
 * costs what that row is. Rows that are found by their path are made ready when they are asked, as a table may hold a million.
 */
export class RedirectTable implements RedirectSource {
  readonly tolerance: Tolerance
  readonly #exact = new Map<string, Filed>()
  readonly #under = new Map<string, Filed>()
  readonly #patterns = new PatternIndex<PatternRow>()
  #conditional = 0

  constructor(tolerance: Tolerance) {
    this.tolerance = tolerance
  }

  get hasConditions(): boolean {
    return this.#conditional > 0
  }

  /** Takes a row in. One that was there before has to be taken out first. */
  add(row: Redirect): Result<null, RedirectFault> {
    const ready = readyRedirect(row, this.tolerance)
    if (!ready.ok) return ready
    const { pattern } = ready.value
    if (pattern !== null) this.#patterns.add({ ...ready.value, id: row.id, literals: pattern.literals })
    else file(this.#filesOf(row), redirectKey(row), row)
    if (isConditional(row.when)) this.#conditional++
    return ok(null)
  }

  /** Takes a row out, as it was taken in. */
  remove(row: Redirect): void {
    if (row.match === 'pattern' || row.match === 'expression') this.#patterns.remove(row.id)
    else unfile(this.#filesOf(row), redirectKey(row), row.id)
    if (isConditional(row.when)) this.#conditional--
  }

  exact(key: string): readonly ReadyRedirect[] {
    return this.#ready(this.#exact.get(key))
  }

  under(stem: string): readonly ReadyRedirect[] {
    return this.#ready(this.#under.get(stem))
  }

  patterns(text: string): readonly ReadyRedirect[] {
    return this.#patterns.candidates(text)
  }

  #filesOf({ match }: Redirect): Map<string, Filed> {
    return match === 'under' ? this.#under : this.#exact
  }

  #ready(filed: Filed | undefined): readonly ReadyRedirect[] {
    if (filed === undefined) return []
    return [filed].flat().flatMap((row) => {
      const ready = readyRedirect(row, this.tolerance)
      return ready.ok ? [ready.value] : []
    })
  }
}

function file(files: Map<string, Filed>, key: string, row: Redirect): void {
  const there = files.get(key)
  if (there === undefined) files.set(key, row)
  else if (Array.isArray(there)) there.push(row)
  else files.set(key, [there, row])
}

function unfile(files: Map<string, Filed>, key: string, id: string): void {
  const left = [files.get(key) ?? []].flat().filter((row) => row.id !== id)
  const [one] = left
  if (one === undefined) files.delete(key)
  else files.set(key, left.length === 1 ? one : left)
}
