import { PATTERNS_BY_ONE_TEXT_MAX, PATTERNS_MAX, ROWS_AT_ONE_PATH_MAX, ROWS_UNDER_ONE_PATH_MAX } from '../../core/routing/index.ts'
import type { Database, Transaction } from '../../data/database.ts'
import { countPatterns, needOf, type RedirectFields } from '../../data/redirects.ts'
import { type Told, tell } from '../../words/index.ts'

type Filed = Pick<RedirectFields, 'match' | 'key' | 'from'>

const isPattern = ({ match }: Filed): boolean => match === 'pattern' || match === 'expression'
/** By what a row is found, with how many others beside it at most. */
function placeOf(row: Filed): { readonly name: string; readonly most: number } {
  if (isPattern(row)) return { name: `text ${needOf(row)}`, most: PATTERNS_BY_ONE_TEXT_MAX }
  return { name: `${row.match} ${row.key}`, most: row.match === 'under' ? ROWS_UNDER_ONE_PATH_MAX : ROWS_AT_ONE_PATH_MAX }
}

/** Rows that are promised and stand nowhere yet, as those of a trial run are: by what they are found by. */
export class PromisedRows {
  readonly byPlace = new Map<string, number>()
  patterns = 0

  add(row: Filed): void {
    const { name } = placeOf(row)
    this.byPlace.set(name, (this.byPlace.get(name) ?? 0) + 1)
    if (isPattern(row)) this.patterns++
  }
}

/** How many rows more there may be: those that one request may bring up are limited, since it is visitors who wait for them. */
export class RedirectLimits {
  readonly #taken = new Map<string, number>()
  #patterns: number

  readonly #promised: ReadonlyMap<string, number> | null

  private constructor(kept: readonly Filed[], patterns: number, byNeed: ReadonlyMap<string, number>, promised: PromisedRows | null) {
    for (const [text, count] of byNeed) this.#taken.set(`text ${text}`, count)
    for (const row of kept) if (!isPattern(row)) this.#change(row, 1)
    this.#patterns = patterns
    this.#promised = promised?.byPlace ?? null
  }

  /**
   * @param fresh - rows that want to be taken in
   * @param kept - rows that are there, and are found by the same as one of these
   * @param leaving - rows that are there and make room: they are among `kept` no more
   * @param promised - rows that take room without being there
   */
  static async of(
    db: Database,
    siteId: string,
    {
      fresh,
      kept,
      leaving = [],
      promised = null,
    }: { fresh: readonly Filed[]; kept: readonly Filed[]; leaving?: readonly Filed[]; promised?: PromisedRows | null },
    transaction: Transaction,
  ): Promise<RedirectLimits> {
    if (!fresh.some(isPattern)) return new RedirectLimits(kept, 0, new Map(), promised)
    const needs = [...new Set(fresh.flatMap((row) => needOf(row) ?? []))]
    const { all, byNeed } = await countPatterns(db, siteId, needs, transaction)
    const patterns = leaving.filter(isPattern)
    const room = new RedirectLimits(kept, all - patterns.length + (promised?.patterns ?? 0), byNeed, promised)
    for (const row of patterns) room.#change(row, -1)
    return room
  }

  #change(row: Filed, by: number): void {
    const { name } = placeOf(row)
    this.#taken.set(name, (this.#taken.get(name) ?? 0) + by)
  }

  /** @returns null where there is room for one more, which is then taken; else what fills it */
  take(row: Filed): Told | null {
    const { name, most } = placeOf(row)
    if (isPattern(row) && this.#patterns >= PATTERNS_MAX) return tell('redirect.too-many-patterns', { most: PATTERNS_MAX })
    if ((this.#taken.get(name) ?? 0) + (this.#promised?.get(name) ?? 0) >= most)
      return tell('redirect.there-are', { most, what: isPattern(row) ? sharedText(needOf(row)) : sharedPath(row) })
    this.#change(row, 1)
    if (isPattern(row)) this.#patterns++
    return null
  }
}

const sharedPath = ({ match, from }: Filed): Told =>
  match === 'under' ? tell('redirect.rows-under', { from }) : tell('redirect.rows-for', { from })
const sharedText = (needs: string | null): Told =>
  needs === null || needs === ''
    ? tell('redirect.patterns-without-letters')
    : tell('redirect.patterns-with', { letters: needs.split('*').filter(Boolean).join('…') })
