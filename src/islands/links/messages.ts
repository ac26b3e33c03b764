import type { DestinationGroup, Finding, Fine, PlacementAnswer, PlacementQuery, ShownExample } from '../../core/placements/index.ts'
import type { Impact, Rule, Strand, Unheard } from '../../core/rules/index.ts'

/** A placement as a row of the list shows it. */
export interface Row {
  readonly pageId: string
  readonly page: string
  readonly title: string
  readonly pageKind: 'page' | 'block' | 'menu'
  readonly ordinal: number
  readonly start: number
  readonly text: string
  readonly href: string
  /** Site it leads to, or the path of an inside page. */
  readonly leads: string
  readonly strand: Strand
  readonly end: 'new tab' | 'same tab' | 'file'
  readonly lands: boolean | null
  readonly isShort: boolean
  readonly isPartner: boolean
  /** What it is and who says so, in a few words. */
  readonly state: string
  readonly isFaulty: boolean
}

/** Everything about one placement, for the asking. */
export interface Details {
  readonly before: string
  readonly after: string
  readonly explained: readonly { readonly what: string; readonly why: string }[]
  readonly tags: readonly string[]
  readonly findings: readonly Finding[]
  /** Findings that somebody marked as fine. */
  readonly fine: readonly (Fine & { readonly finding: Finding })[]
}

/** What a screen asks its engine, which holds all placements in a thread of its own. `id` counts up; the newest counts. */
export type ToEngine =
  | { readonly type: 'load' }
  /** Loads anew where something has changed on the server. */
  | { readonly type: 'refresh'; readonly isForced: boolean }
  | { readonly type: 'ask'; readonly id: number; readonly query: PlacementQuery; readonly isGrouped: boolean }
  | { readonly type: 'impact'; readonly id: number; readonly rules: readonly Rule[] }
  | { readonly type: 'details'; readonly id: number; readonly index: number }

export type FromEngine =
  | {
      readonly type: 'started'
      readonly total: number
      readonly partners: Readonly<Record<string, string>>
      readonly rules: Readonly<Record<string, string>>
    }
  | { readonly type: 'rows'; readonly from: number; readonly rows: readonly Row[] }
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
