export { numbersLost, parametersBetween } from './carried.ts'
export { isBroken, type Judged, judge, VERDICTS, type Verdict } from './judge.ts'
export { ASK_FAULTS, type AskFault, type SeenHop, STOP_FAULTS, type StopFault } from './seen.ts'
