export { type BulkChange, type ChangedLink, type ChangedPage, type ChangeHelp, changeEntries, changeLinks } from './change.ts'
export { endOf } from './decided.ts'
export {
  bitOf,
  classFindings,
  FINDINGS,
  type Finding,
  type Fine,
  fineKey,
  givenFindings,
  hasFinding,
  landingFindings,
  pageFindings,
  paidMost,
  rowFindings,
} from './findings.ts'
export { decodeKept, encodeKept, type KeptHead } from './kept.ts'
export { type ListKnowledge, PlacementList } from './list.ts'
export { type DestinationGroup, FACETS, type Facet, type PlacementAnswer, type PlacementQuery, SORTS, type Sort } from './query.ts'
export { type Row, rowOf } from './row.ts'
export { isBefore, type KeptRows } from './rows.ts'
export type { ToldVerdict } from './seen.ts'
export type { PlacementsHead, PlacementsPart, ShownPlacements } from './sent.ts'
export {
  destinationOf,
  isPaidLink,
  isUnmarked,
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
export { countChanged, type ShownExample, shownImpact, tagWith } from './tags.ts'
export { WORDS, wordsOf } from './words.ts'
