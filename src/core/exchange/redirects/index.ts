export { readHttpd } from './httpd.ts'
export { writeHttpd } from './httpd-out.ts'
export {
  isYes,
  LIST_COLUMNS,
  type ListLayout,
  type ListRecord,
  listRecordOf,
  readListLayout,
  recordFault,
  recordOf,
  redirectPage,
  staticNameOf,
  whenToJson,
} from './list.ts'
export { readNginx } from './nginx.ts'
export { writeNginx } from './nginx-out.ts'
export {
  type Asked,
  draftOf,
  type ReadingSite,
  type ReadRedirect,
  type ReadRedirects,
  type RedirectDraft,
  type RefusedLine,
  type Unsaid,
} from './row.ts'
