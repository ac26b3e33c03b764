export {
  CASES_MAX,
  type CourseFault,
  courseFault,
  destinationsIn,
  ENDINGS,
  keptCourse,
  PLAIN_COURSE,
  REFERRER_POLICIES,
  type ShortLinkCourse,
  SPLIT_MAX,
  variantFor,
  WEIGHT_MAX,
} from './course.ts'
export { type CompiledDestination, compileDestination, type DestinationFault, FILLED_MAX_CHARS, HOLES_MAX } from './destination.ts'
export { hiddenBy, samplePath } from './hidden.ts'
export type { ReviewRow } from './lean-row.ts'
export { logTimeMs, otherFormatOf, readLogLine } from './log-line.ts'
export {
  type Asked,
  type Considered,
  compareRedirects,
  considerRedirects,
  isConditional,
  matchRedirect,
  NO_BACKSLASH,
  NOT_ANSWERING,
  type NotAnswering,
  type ReadyRedirect,
  type RedirectAnswer,
  type RedirectFault,
  type RedirectSource,
  readyRedirect,
  redirectKey,
  redirectsInTurn,
} from './match.ts'
export { isPageLike, NOISE_KINDS, NOISE_WORDS, type NoiseKind, noiseOf, SCANNED_MIN, tellingEnding } from './missed.ts'
export type { KnownPage } from './page-files.ts'
export { encodedPath, encodeText, isPlain, pathKey, plainPath, stemsOf, UNDER_SEGMENTS_MAX, withoutEndSlashes } from './path.ts'
export {
  type CompiledPattern,
  compileExpression,
  compilePathPattern,
  foldedText,
  literalsOf,
  neededText,
  PATTERN_MAX_CHARS,
  type PatternFault,
} from './pattern.ts'
export { type NeededText, PatternIndex } from './pattern-index.ts'
export {
  LIST_FORMATS,
  leadsOn,
  PATTERNS_BY_ONE_TEXT_MAX,
  PATTERNS_MAX,
  PRECEDENCE,
  QUERY_HABITS,
  type QueryHabit,
  REDIRECT_MATCHES,
  REDIRECT_ORDERS,
  REDIRECT_STATUSES,
  type Redirect,
  type RedirectConditions,
  type RedirectMatch,
  type RedirectStatus,
  ROWS_AT_ONE_PATH_MAX,
  ROWS_UNDER_ONE_PATH_MAX,
  TOLERANCE,
  type Tolerance,
} from './redirect.ts'
export { Replay, type ReplaySite, type ReplayTally } from './replay.ts'
export { FINDING_KINDS, type Finding, type FindingKind, type Mend, RedirectReview, type ReviewSite } from './review.ts'
export {
  type AskedOfShortLink,
  answerShortLink,
  type CompiledShortLink,
  compileShortLink,
  matchShortLink,
  type ShortLinkAnswer,
  type ShortLinkStatus,
  type ShortLinkTarget,
} from './short-links.ts'
export { slipsBetween } from './slips.ts'
export { type LostAddress, PageFinder, type PageSuggestion, SCORE_WORDS, SURE } from './suggest.ts'
export { RedirectTable } from './table.ts'
export { ASKED_PATH_MAX_CHARS, LOOK_UP_STEPS_MAX, LOOKED_THROUGH_MAX_CHARS, LookUpWork } from './work.ts'
