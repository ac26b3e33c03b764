import { PATTERNS_MAX, ROWS_AT_ONE_PATH_MAX, WIDE_PATTERNS_MAX } from '../core/routing/index.ts'
import type { Database, Transaction } from '../data/database.ts'
import { countPatterns, isWide, type RedirectFields } from '../data/redirects.ts'

type Filed = Pick<RedirectFields, 'match' | 'key' | 'from'>

const isPattern = ({ match }: Filed): boolean => match === 'pattern' || match === 'expression'
const nameOf = ({ match, key }: Filed): string => `${match} ${key}`

/** How many rows more there may be: those that one request may bring up are limited, since it is visitors who wait for them. */
export class RedirectRoom {
  readonly #atPath = new Map<string, number>()
  #patterns: number
  #wide: number

  private constructor(kept: readonly Filed[], { all, wide }: { all: number; wide: number }) {
    for (const row of kept) this.#atPath.set(nameOf(row), (this.#atPath.get(nameOf(row)) ?? 0) + 1)
    this.#patterns = all
    this.#wide = wide
  }

  /**
   * @param fresh - rows that want to be taken in
   * @param kept - rows that are there, and are found by the same as one of these
   * @param leaving - rows that are there and make room: they are among `kept` no more
   */
  static async of(
    db: Database,
    siteId: string,
    { fresh, kept, leaving = [] }: { fresh: readonly Filed[]; kept: readonly Filed[]; leaving?: readonly Filed[] },
    transaction: Transaction,
  ): Promise<RedirectRoom> {
    if (!fresh.some(isPattern)) return new RedirectRoom(kept, { all: 0, wide: 0 })
    const { all, wide } = await countPatterns(db, siteId, transaction)
    return new RedirectRoom(kept, { all: all - leaving.filter(isPattern).length, wide: wide - leaving.filter(isWide).length })
  }

  /** @returns whether there is room for one more, which is then taken */
  take(row: Filed): boolean {
    const beside = this.#atPath.get(nameOf(row)) ?? 0
    if (beside >= ROWS_AT_ONE_PATH_MAX || (isPattern(row) && this.#patterns >= PATTERNS_MAX)) return false
    const wide = isWide(row)
    if (wide && this.#wide >= WIDE_PATTERNS_MAX) return false
    this.#atPath.set(nameOf(row), beside + 1)
    if (isPattern(row)) this.#patterns++
    if (wide) this.#wide++
    return true
  }
}
