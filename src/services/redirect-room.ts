import { PATTERNS_MAX, ROWS_AT_ONE_PATH_MAX } from '../core/routing/index.ts'
import type { Database, Transaction } from '../data/database.ts'
import { countPatterns, type RedirectFields } from '../data/redirects.ts'

type Filed = Pick<RedirectFields, 'match' | 'key'>

const isPattern = ({ match }: Filed): boolean => match === 'pattern' || match === 'expression'
const nameOf = ({ match, key }: Filed): string => `${match} ${key}`

/** How many rows more there may be: those that one request may bring up are limited, since it is visitors who wait for them. */
export class RedirectRoom {
  readonly #atPath = new Map<string, number>()
  #patterns: number

  private constructor(kept: readonly Filed[], patterns: number) {
    for (const row of kept) this.#atPath.set(nameOf(row), (this.#atPath.get(nameOf(row)) ?? 0) + 1)
    this.#patterns = patterns
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
    const patterns = fresh.some(isPattern) ? (await countPatterns(db, siteId, transaction)) - leaving.filter(isPattern).length : 0
    return new RedirectRoom(kept, patterns)
  }

  /** @returns whether there is room for one more, which is then taken */
  take(row: Filed): boolean {
    const beside = this.#atPath.get(nameOf(row)) ?? 0
    if (beside >= ROWS_AT_ONE_PATH_MAX || (isPattern(row) && this.#patterns >= PATTERNS_MAX)) return false
    this.#atPath.set(nameOf(row), beside + 1)
    if (isPattern(row)) this.#patterns++
    return true
  }
}
