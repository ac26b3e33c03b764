export { articleOf, pageWithArticle } from './article.ts'
export { cellOfText, textOfCell } from './columns/index.ts'
export { DRAWING_MAX_CHARS, drawingFault } from './drawing.ts'
export { type FeedEntry, readFeed, readSitemap } from './feed.ts'
export { htmlOfMarkdown, type MarkdownFile, markdownOfHtml, readMarkdown, tagsOfMarkdown, titleOfMarkdown } from './markdown.ts'
export {
  DRAFT_FIELDS,
  draftOf,
  isYes,
  LIST_COLUMNS,
  type ListLayout,
  type ListRecord,
  listRecordOf,
  PLAIN_DRAFT,
  type ReadingSite,
  type ReadRedirect,
  type ReadRedirects,
  type RedirectDraft,
  type RefusedLine,
  readHttpd,
  readListLayout,
  readNginx,
  recordFault,
  recordOf,
  redirectPage,
  saidIn,
  staticNameOf,
  type Unsaid,
  whenToJson,
  writeHttpd,
  writeNginx,
} from './redirects/index.ts'
export {
  type GuessedList,
  guessShortLinkList,
  headerOfColumns,
  listRowOf,
  readListHeader,
  SHORT_LINK_COLUMNS,
  type ShortLinkColumn,
  type ShortLinkListRow,
} from './short-link-list.ts'
