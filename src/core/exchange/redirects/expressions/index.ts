export { type CodeSet, codeOf, EVERY_CODE, isWithin, sameLower, setOf } from './code-set.ts'
export { type Part, partOf } from './expression.ts'
export { meetingPath, type PathSteps, pathSteps } from './meet.ts'
export { HAS_KEPT_ESCAPE, lettersOf, type SentFault, type SentPath, sentPath, spelledWell } from './sent.ts'
