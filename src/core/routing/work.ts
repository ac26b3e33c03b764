import { QueryParameters } from './parameters.ts'

/** Longest path, as it is sent and as people read it, that rows are asked about, inclusive: RFC 9110 §4.1. What is longer is answered as missing. */
export const ASKED_PATH_MAX_CHARS = 8_100

/**
 * Most steps of one look-up, inclusive: about a millisecond. A step is what one instruction of a pattern costs at one character;
 * what else there is to do is told in the same measure.
 */
export const LOOK_UP_STEPS_MAX = 20_000
/** Characters that are looked through to find the patterns that may match: a fraction of a millisecond. */
export const LOOKED_THROUGH_MAX_CHARS = 500_000

/** What one look-up has cost so far, counted so that it is the same on every machine, and what its rows ask of the query. */
export class LookUpWork {
  #left = LOOK_UP_STEPS_MAX
  readonly isTooLong: boolean
  readonly parameters: QueryParameters

  constructor({ path, query }: { readonly path: string; readonly query: string }) {
    this.isTooLong = path.length > ASKED_PATH_MAX_CHARS
    this.parameters = new QueryParameters(query)
  }

  /** Takes so many steps, if there are as many left. Where there are not, there are none from then on. */
  has(steps: number): boolean {
    this.#left = steps > this.#left ? 0 : this.#left - steps
    return this.#left > 0
  }
}
