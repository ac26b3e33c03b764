export { contentOf, HERE_MAX_BYTES, hashOf, newContent, PAGE_WORK_MS } from './content.ts'
export { draftFilesService } from './draft-files.ts'
export { pageMovesService } from './moves.ts'
export { pagesService, shownPageRow } from './pages.ts'
