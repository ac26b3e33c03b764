import type { Decided } from './decided.ts'
import type { PlacementRows } from './rows.ts'

/** A list as it is looked through: arrays by row, or by what a row holds the number of. */
export interface ShownList {
  readonly rows: PlacementRows
  readonly decided: Decided
  /** The class and 1. */
  readonly classOf: Uint32Array
  readonly states: Uint8Array
  /** Of each row the number of its verdict, 0 for none. */
  readonly verdicts: Uint8Array
  readonly bits: Uint32Array
  /** Room for as many rows, to be used until the next question: millions of numbers that are made and dropped keep the collector at work. */
  readonly scratch: (length: number) => Uint32Array<ArrayBuffer>
}
