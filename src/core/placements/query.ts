import type { Finding } from './findings.ts'

/** What a list of placements can be narrowed by; each has one value a placement, but for tags. */
export const FACETS = [
  'site',
  'host',
  'partner',
  'strand',
  'end',
  'state',
  'where',
  'words',
  'by',
  'kind',
  'folder',
  'tag',
  'verdict',
] as const
export type Facet = (typeof FACETS)[number]

/** What a list can be put in the order of: page and place, or one of its columns. Within one value by page and place. */
export const SORTS = [
  'page',
  'title',
  'text',
  'href',
  'destination',
  'site',
  'kind',
  'strand',
  'end',
  'state',
  'rel',
  'target',
  'because',
  'tags',
  'findings',
] as const
export type Sort = (typeof SORTS)[number]

/** Which placements are wanted. Everything that is left out is not asked for. */
export interface PlacementQuery {
  /** Words that the anchor text, the address or the page's title holds, all of them. */
  readonly text?: string | undefined
  readonly facets?: Partial<Record<Facet, string>> | undefined
  readonly finding?: Finding | undefined
  /** Exactly this destination, as {@link destinationOf} writes it. */
  readonly destination?: string | undefined
  /** Path of one page. */
  readonly page?: string | undefined
  /** Leads to a partner and does not say so, or not; also while it waits. */
  readonly isUnmarked?: boolean | undefined
  /** By page and place where it is left out. */
  readonly sort?: Sort | undefined
  readonly isDown?: boolean | undefined
}

/** Placements that lead to one destination. */
export interface DestinationGroup {
  readonly destination: string
  readonly links: number
  readonly pages: number
}

/** Groups in their order, made as they are looked at: there may be half a million. */
export interface DestinationGroups {
  readonly length: number
  slice(from: number, to?: number): DestinationGroup[]
}

export interface PlacementAnswer {
  /** Rows of the placements found, in the order asked for. They hold until something is put into the list. */
  readonly found: Uint32Array<ArrayBuffer>
  readonly pages: number
  /** By facet, its values with how many placements would be found with that value; most first. */
  readonly counts: Readonly<Record<Facet, readonly (readonly [value: string, links: number])[]>>
  readonly findings: Readonly<Partial<Record<Finding, number>>>
}
