export { addressesService } from './addresses.ts'
export { noAnswer, type OutsideStop, stopOf, type TimedHop, visitsService } from './visits.ts'
