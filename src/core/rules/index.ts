export { changesFor, type Decision, decide, type Reason, sayReason } from './decide.ts'
export { type DeliveredLink, type DeliveredPage, deliverPage } from './deliver.ts'
export {
  ANSWERS,
  type Answer,
  BY_HAND,
  factsOf,
  type LinkFacts,
  type PageAround,
  type ShortLinkFinder,
  type WrittenLink,
  writtenLink,
} from './facts.ts'
export { type HandAnswers, handChanges } from './hand.ts'
export { type Impact, type ImpactGroup, ImpactTally } from './impact.ts'
export { HINTS, type Hint, hintsOf, opensNewTab, type RelTokens, relTokens, withHints } from './rel.ts'
export { type CompiledRule, compileRules, type Rule, wildcard } from './rule.ts'
export { type Strand, sayHints, sayWhat, sayWhich, strandOf } from './say.ts'
export { type CompiledSite, compileSite, originOf, type PageMarks, type SiteSetup } from './site.ts'
