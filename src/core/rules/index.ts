export {
  CONDITION_MAX_DEPTH,
  type Condition,
  compileCondition,
  implies,
  lowerWildcard,
  type Test,
  testsOf,
  wildcard,
} from './condition.ts'
export {
  becauseOf,
  changesFor,
  type Decision,
  decide,
  explain,
  orderOfBecause,
  type Reason,
  tellReason,
  type WrittenTag,
} from './decide.ts'
export { type DeliveredLink, type DeliveredPage, deliverPage, foresee } from './deliver.ts'
export {
  ANSWERS,
  type Answer,
  BY_HAND,
  factsOf,
  type LinkFacts,
  PART_KINDS,
  type PageAround,
  type PartKind,
  placeOf,
  readTags,
  type SharedPart,
  type ShortLinkFinder,
  TAGS,
  type WrittenLink,
  writtenLink,
} from './facts.ts'
export { type HandAnswers, handAnswersOf, handChanges } from './hand.ts'
export {
  alikeKey,
  type Compared,
  type Conflict,
  EXAMPLES_PER_GROUP,
  type Impact,
  type ImpactGroup,
  ImpactTally,
  type RuleShare,
  readAlikeKey,
  withoutSite,
} from './impact.ts'
export { LED_AWAY_MAX, type LedAway, type LedRow } from './led.ts'
export { LOOK_BITS, type Look, Looks } from './looks.ts'
export { lowestRules } from './lowest.ts'
export { HINTS, type Hint, hintsOf, opensNewTab, type RelTokens, relTokens, withHints, withToken } from './rel.ts'
export {
  type CompiledRule,
  compileRules,
  EFFECTS,
  type Effect,
  type Effects,
  needsOf,
  REFERRER_POLICIES,
  type ReferrerPolicy,
  type Rule,
  type RuleNeeds,
  type Unheard,
  unheardRules,
} from './rule.ts'
export {
  type CompiledSite,
  compileSite,
  originOf,
  type PageMarks,
  type RulesDraft,
  type SiteGround,
  type SiteSetup,
  withShortLinks,
} from './site.ts'
export { type StartingSet, startingSets } from './starting.ts'
export { type Strand, strandOf } from './strand.ts'
export { type PageSurvey, type RuleStream, ruleStream, surveyPage } from './stream.ts'
export { type RuleListState, type RulesTakenBack, takeBackRules } from './take-back.ts'
export { isPaid, type PaidWords } from './telling.ts'
export { setAside } from './theirs.ts'
