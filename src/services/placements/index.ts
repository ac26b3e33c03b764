export { listQuery, placementsService, withTags } from './placements.ts'
export { shownPlacement } from './shown.ts'
