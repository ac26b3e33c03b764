export { addressesService } from './addresses.ts'
export { visitsService } from './visit.ts'
