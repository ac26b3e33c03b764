export { type BulkChange, type ChangedLink, type ChangedPage, type ChangeHelp, changeEntries, changeLinks } from './change.ts'
export { FINDINGS, type Finding, type Fine, findingsOf, fineKey, hasFinding, overdoneOf, paidMost, type SiteKnowledge } from './findings.ts'
export {
  type DestinationGroup,
  endOf,
  FACETS,
  type Facet,
  type PlacementAnswer,
  PlacementList,
  type PlacementQuery,
} from './list.ts'
export {
  destinationOf,
  Judge,
  type JudgedPlacement,
  landsOf,
  type Placement,
  type PlacementPage,
  partOfPage,
  readPlacement,
  type SentPlacement,
  sendPlacement,
  tagNameEnd,
} from './set.ts'
export { type ShownExample, shownImpact, tagWith } from './tags.ts'
