import type { Decided } from './decided.ts'
import type { PlacementRows } from './rows.ts'

/** A list as it is looked through: arrays by row, or by what a row holds the number of. */
export interface ShownList {
  readonly rows: PlacementRows
  readonly decided: Decided
  /** The class and 1. */
  readonly classOf: Uint32Array
  readonly states: Uint8Array
  readonly bits: Uint32Array
}
