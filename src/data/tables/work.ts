import type { Said } from '../../words/index.ts'
import { bytea, id, integer, json, no, now, text, time, uuid, word } from './column.ts'
import { type RowOf, table } from './table.ts'

/** Long work, and what becomes of it. */
export const jobs = table('jobs', {
  id,
  siteId: uuid,
  kind: text,
  state: word<'waiting' | 'running' | 'done' | 'failed' | 'cancelled'>(),
  done: integer.or('0'),
  total: integer.or('0'),
  input: json<unknown>(),
  report: json<unknown>().orNull,
  message: json<Said>().orNull,
  isCancelAsked: no,
  personId: uuid.orNull,
  createdAt: now,
  updatedAt: now,
  /** How often it was taken up. */
  begun: integer.or('0'),
  undoneAt: time.orNull,
})
export type StoredJob = RowOf<typeof jobs>

/** What was sent for a job, a part at a time. */
export const uploads = table('uploads', {
  id: uuid.key,
  part: integer.key,
  bytes: bytea,
  createdAt: now,
  siteId: uuid.orNull,
  personId: uuid.orNull,
})

/** What a bring-in by sitemap has fetched. */
export const crawled = table('crawled', {
  crawl: uuid.key,
  address: text.key,
  state: text,
  bytes: bytea.orNull,
  mediaType: text.orNull,
  reason: json<Said>().orNull,
  fetchedAt: time.orNull,
})
