export { bulkChangesService } from './bulk-changes.ts'
export { BulkDrafts, keptDraft, patchPage } from './drafts.ts'
