import type { Words } from './english/index.ts'

/** What a sentence is about. Plain JSON: it travels between threads, and into columns of the database. */
export type Fact = string | number | boolean | null | Told | readonly Fact[]

/** What is to be said, not yet in words: the name of a sentence, and the facts that it is about. */
export interface Told {
  readonly tell: string
  readonly of?: Readonly<Record<string, Fact>>
}

/** What is kept of something that was said: rows that were written before sentences had names hold their words. */
export type Said = string | Told

/** Words among facts may themselves be still to be said. */
type Asked<F> = {
  readonly [K in keyof F]: F[K] extends string | null ? F[K] | Told : F[K] extends readonly string[] ? readonly Said[] : F[K]
}
type FactsOf<N extends keyof Words> = Words[N] extends (facts: infer F) => string ? [facts: Asked<F>] : []

/** Names what is to be said. Its words are found at the screen, see {@link inWords}. */
export function tell<N extends keyof Words>(name: N, ...[of]: FactsOf<N>): Told {
  return of === undefined ? { tell: name } : { tell: name, of: of as Told['of'] & object }
}

/** Whether two say the same of the same. */
export const saysSame = (a: Said, b: Said): boolean => a === b || JSON.stringify(a) === JSON.stringify(b)

/** Whether a value from outside is something that is to be said. */
export function isTold(value: unknown): value is Told {
  if (typeof value !== 'object' || value === null || !('tell' in value) || typeof value.tell !== 'string') return false
  const keys = Object.keys(value)
  return keys.length === 1 || (keys.length === 2 && 'of' in value && typeof value.of === 'object' && value.of !== null)
}
