import { type Database, rows } from './database.ts'

/** What refers to contents: drafts and live pages, their history, publications that can be restored, bulk changes that can be undone. */
const REFERENCES = [
  ['pages', 'draft_hash'],
  ['pages', 'live_hash'],
  ['pages', 'origin_hash'],
  ['page_revisions', 'hash'],
  ['files', 'draft_hash'],
  ['files', 'live_hash'],
  ['file_revisions', 'hash'],
  ['publication_items', 'from_hash'],
  ['publication_items', 'to_hash'],
  ['bulk_change_pages', 'before_hash'],
  ['bulk_change_pages', 'after_hash'],
] as const

/** Gone in one go at most: the next round takes more. */
const AT_ONCE = 2_000

/**
 * Removes contents that nothing refers to any more, and that have been there for a day: what is being written refers to its
 * own in the same transaction. One that somebody takes up again meanwhile stays, by its foreign key.
 * @returns how many went
 */
export async function dropUnusedContents(db: Database): Promise<number> {
  const unused = REFERENCES.map(([table, column]) => `NOT EXISTS (SELECT 1 FROM ${table} r WHERE r.${column} = b.hash)`).join(' AND ')
  const gone = await rows(
    db,
    `DELETE FROM blobs WHERE hash IN (
       SELECT b.hash FROM blobs b WHERE b.created_at < now() - interval '1 day' AND ${unused} LIMIT ${AT_ONCE}) RETURNING 1`,
  )
  return gone.length
}
