import type { DestinationGroup, Finding, Fine, PlacementAnswer, PlacementQuery, Row, ShownExample } from '../../core/placements/index.ts'
import type { Impact, RulesDraft, Unheard } from '../../core/rules/index.ts'
import type { InWords } from '../../words/index.ts'

/** A placement as it is shown. */
export type ShownRow = InWords<Row>

/** Everything about one placement, for the asking. */
export interface Details {
  readonly before: string
  readonly after: string
  readonly explained: readonly { readonly what: string; readonly why: string }[]
  readonly tags: readonly string[]
  /** Where it leads, absolute; null where it is no address. */
  readonly address: string | null
  readonly findings: readonly Finding[]
  /** Findings that somebody marked as fine. */
  readonly fine: readonly (Fine & { readonly finding: Finding })[]
}

/** What a screen asks its engine, which holds all placements in a thread of its own. `id` counts up; the newest counts. */
export type ToEngine =
  | { readonly type: 'load' }
  /** Takes over what has changed on the server. */
  | { readonly type: 'refresh' }
  | { readonly type: 'ask'; readonly id: number; readonly query: PlacementQuery; readonly isGrouped: boolean }
  | { readonly type: 'impact'; readonly id: number; readonly draft: RulesDraft }
  | { readonly type: 'details'; readonly id: number; readonly index: number }

export type FromEngine =
  | {
      readonly type: 'started'
      readonly total: number
      /** There are so many that the server answers for them. */
      readonly isLarge: boolean
      readonly partners: Readonly<Record<string, string>>
      readonly rules: Readonly<Record<string, string>>
    }
  | { readonly type: 'rows'; readonly from: number; readonly rows: readonly ShownRow[] }
  | { readonly type: 'loaded'; readonly count: number; readonly ms: number }
  | ({ readonly type: 'answer'; readonly id: number; readonly groups: readonly DestinationGroup[] | null } & PlacementAnswer)
  | {
      readonly type: 'impact'
      readonly id: number
      readonly impact: Impact<ShownExample>
      readonly unheard: readonly Unheard[]
      readonly ms: number
    }
  | { readonly type: 'details'; readonly id: number; readonly details: Details }
  | { readonly type: 'failed'; readonly why: string }
