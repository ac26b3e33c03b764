export { readHttpd } from './httpd.ts'
export { writeHttpd } from './httpd-out.ts'
export {
  DRAFT_FIELDS,
  isYes,
  LIST_COLUMNS,
  type ListLayout,
  type ListRecord,
  listRecordOf,
  readListLayout,
  recordFault,
  recordOf,
  redirectPage,
  saidIn,
  staticNameOf,
  whenToJson,
} from './list.ts'
export { readNginx } from './nginx.ts'
export { writeNginx } from './nginx-out.ts'
export {
  type Asked,
  draftOf,
  PLAIN_DRAFT,
  type ReadingSite,
  type ReadRedirect,
  type ReadRedirects,
  type RedirectDraft,
  type RefusedLine,
  type Unsaid,
} from './row.ts'
