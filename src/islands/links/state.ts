import type { DestinationGroup, PlacementAnswer, ShownExample } from '../../core/placements/index.ts'
import type { Impact, Unheard } from '../../core/rules/index.ts'
import type { Details, ShownRow } from './messages.ts'

/** Where the rows of the links found are among all rows that are here, in the order of the list. */
export interface Found {
  readonly length: number
  at(place: number): number | undefined
}

/** What the engine shows of a list. */
export interface EngineState {
  /** Rows that have come in so far, by index. */
  readonly rows: readonly (ShownRow | undefined)[]
  readonly total: number
  readonly isLoaded: boolean
  /** Rows that are not here come when they are needed. */
  readonly isFar: boolean
  /** Counts up when the rows of a far list have other places than before: what was chosen by its place means others. */
  readonly turn: number
  readonly answer:
    | (Pick<PlacementAnswer, 'pages' | 'counts' | 'findings'> & {
        readonly found: Found
        readonly groups: readonly (DestinationGroup | undefined)[] | null
      })
    | null
  readonly impact: {
    readonly impact: Impact<ShownExample>
    readonly unheard: readonly Unheard[]
    readonly ms: number
    readonly of: string
  } | null
  readonly details: { readonly index: number; readonly details: Details } | null
  readonly partners: Readonly<Record<string, string>>
  readonly rules: Readonly<Record<string, string>>
  readonly failure: string | null
}

export const EMPTY: EngineState = {
  rows: [],
  total: 0,
  isLoaded: false,
  isFar: false,
  turn: 0,
  answer: null,
  impact: null,
  details: null,
  partners: {},
  rules: {},
  failure: null,
}
