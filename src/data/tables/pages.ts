import type { Said } from '../../words/index.ts'
import { bytea, id, integer, json, none, now, smallint, text, time, uuid, uuids, version, word } from './column.ts'
import { type RowOf, table } from './table.ts'

export type PageKind = 'page' | 'block' | 'menu'

/** Contents by their hash, with what is said of them beside. */
export const blobs = table('blobs', { hash: text.key, bytes: bytea, createdAt: now, tags: none, writtenFor: uuid.orNull })

/** Pages, shared blocks and menus. */
export const pages = table('pages', {
  id,
  siteId: uuid,
  path: text,
  sourceName: text,
  title: text,
  encoding: text,
  draftHash: text,
  liveHash: text.orNull,
  liveEncoding: text.orNull,
  importHash: text.orNull,
  draftAt: now,
  liveAt: time.orNull,
  editedBy: uuid.orNull,
  version,
  createdAt: now,
  updatedAt: now,
  kind: word<PageKind>().or("'page'::text"),
  writtenFor: uuid.orNull,
  removedAt: time.orNull,
  tags: none,
  words: integer.orNull,
  originKind: word<'markdown'>().orNull,
  originHash: text.orNull,
})
export type PageRow = RowOf<typeof pages>

export const pageRevisions = table('page_revisions', {
  pageId: uuid.key,
  version: integer.key,
  hash: text,
  encoding: text,
  title: text,
  madeBy: text,
  personId: uuid.orNull,
  createdAt: now,
  /** The import that made it. */
  stepId: uuid.orNull,
})

export const files = table('files', {
  id,
  siteId: uuid,
  path: text,
  mediaType: text,
  bytes: integer,
  draftHash: text,
  liveHash: text.orNull,
  version,
  createdAt: now,
  updatedAt: now,
  removedAt: time.orNull,
})
export type FileRow = RowOf<typeof files>

export const fileRevisions = table('file_revisions', {
  fileId: uuid.key,
  version: integer.key,
  hash: text,
  mediaType: text,
  bytes: integer,
  personId: uuid.orNull,
  createdAt: now,
  stepId: uuid.orNull,
})

/** Files that pages name, as they spell them. */
export const fileUses = table('file_uses', { pageId: uuid.key, path: text.key })

/** Links of drafts, derived from their contents. */
export const placements = table('placements', {
  pageId: uuid.key,
  ordinal: integer.key,
  startAt: integer,
  endAt: integer,
  tag: text,
  shownText: text,
  href: text,
  rel: text.orNull,
  target: text.orNull,
  byHand: text.orNull,
  shows: text,
  baseHref: text.orNull,
  baseTarget: text.orNull,
  linkTags: text.orNull,
  paragraph: integer.orNull,
})

/** Findings of links that somebody called fine. */
export const fineFindings = table('fine_findings', {
  siteId: uuid.key,
  pageId: uuid,
  keyHash: text.key,
  key: text,
  finding: text,
  reason: text,
  personId: uuid.orNull,
  createdAt: now,
})

/** Contributors' new outside links. */
export const waitingLinks = table('waiting_links', {
  id,
  siteId: uuid,
  pageId: uuid,
  address: text,
  words: text,
  sentence: text,
  flags: none,
  personId: uuid.orNull,
  state: word<'waiting' | 'accepted' | 'refused'>().or("'waiting'::text"),
  decidedBy: uuid.orNull,
  decidedAt: time.orNull,
  createdAt: now,
})

/** Who has a page open, by tab. */
export const presence = table('presence', { pageId: uuid.key, tab: uuid.key, personId: uuid, seenAt: now })

export const publications = table('publications', {
  id,
  siteId: uuid,
  number: integer,
  personId: uuid.orNull,
  createdAt: now,
  restoredNumber: integer.orNull,
  checked: json<unknown>().orNull,
  checkedAt: time.orNull,
})

export const publicationItems = table('publication_items', {
  publicationId: uuid.key,
  kind: text.key,
  path: text.key,
  fromHash: text.orNull,
  toHash: text.orNull,
  title: text.orNull,
  encoding: text.orNull,
  fromEncoding: text.orNull,
})

export const plannedPublications = table('planned_publications', {
  id,
  siteId: uuid,
  dueAt: time,
  pages: uuids.orNull,
  personId: uuid.orNull,
  state: word<'planned' | 'done' | 'failed' | 'cancelled'>().or("'planned'::text"),
  message: json<Said>().orNull,
  createdAt: now,
})

/** Links that were changed together. */
export const bulkChanges = table('bulk_changes', {
  id,
  siteId: uuid,
  change: json<unknown>(),
  links: integer,
  personId: uuid.orNull,
  createdAt: now,
  undoneAt: time.orNull,
})
export const bulkChangePages = table('bulk_change_pages', {
  bulkChangeId: uuid.key,
  pageId: uuid.key,
  beforeHash: text,
  beforeEncoding: text,
  afterHash: text,
})

export const phrases = table('phrases', {
  id,
  siteId: uuid,
  words: text,
  destination: text,
  partnerId: uuid.orNull,
  priority: smallint.or('3'),
  createdAt: now,
  updatedAt: time.or('clock_timestamp()'),
  personId: uuid.orNull,
})
/** @see phrases - not to be linked on a page, or anywhere where it names none */
export const phraseRefusals = table('phrase_refusals', { phraseId: uuid, pageId: uuid.orNull, at: now })
