export { addressesService } from './addresses.ts'
export { visitsService } from './visits.ts'
