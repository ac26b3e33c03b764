import type { SiteSetup } from '../rules/index.ts'
import type { Fine } from './findings.ts'
import type { DestinationGroup, PlacementAnswer } from './query.ts'
import type { Row } from './row.ts'
import type { ToldVerdict } from './seen.ts'
import type { PlacementPage, SentPlacement } from './set.ts'

/** What a screen gets first of all placements: what is needed to judge them. The placements follow in steps. */
export interface PlacementsHead {
  /** Newest change that is in it. */
  readonly stamp: number
  /** What follows is what changed after this one; null for everything. */
  readonly after: number | null
  /** There are so many that none follows. */
  readonly isLarge: boolean
  readonly setup: SiteSetup
  readonly port: number
  /** How many follow; null for those that changed. */
  readonly total: number | null
  /** Of all pages and files; or of those that have come or gone. */
  readonly paths: readonly { readonly path: string; readonly isHere: boolean }[]
  readonly hasAllPaths: boolean
  /** Redirects, or what is live, have changed: where addresses without a page lead has to be asked again. */
  readonly isLedElsewhere: boolean
  /** What people marked as fine, by key; null where that has not changed. */
  readonly fine: readonly (readonly [key: string, fine: Fine])[] | null
  /** What is said of destinations; where this is what changed, of those of which something else is said now. */
  readonly verdicts: readonly ToldVerdict[]
  /** Pages that have changed: those that do not follow have no links any more. */
  readonly changed: readonly string[]
  readonly shortLinks: readonly { readonly host: string; readonly slug: string; readonly destination: string | null }[]
}

/** Placements with the pages they hang on, and where the short links lead that are new in them. */
export interface PlacementsPart {
  readonly pages: readonly PlacementPage[]
  readonly rows: readonly SentPlacement[]
  readonly shortLinks: PlacementsHead['shortLinks']
}

/** A part of the list as a screen shows it. Numbers, groups and findings come with the first part alone. */
export interface ShownPlacements {
  /** Newest change that is in it: parts of one list have the same. */
  readonly stamp: number
  readonly total: number
  /** Links found, or groups of them. */
  readonly found: number
  readonly rows: readonly Row[]
  readonly groups: readonly DestinationGroup[] | null
  readonly numbers: (Pick<PlacementAnswer, 'pages' | 'counts' | 'findings'> & { readonly links: number }) | null
}
