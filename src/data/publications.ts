import type { Transaction } from 'sequelize'
import { type Database, rows } from './database.ts'

export interface UnpublishedPage {
  readonly id: string
  readonly path: string
  readonly title: string
  readonly isNew: boolean
  readonly by: string | null
  readonly at: Date
}

export async function unpublishedPages(db: Database, siteId: string, limit: number): Promise<{ pages: UnpublishedPage[]; total: number }> {
  const where = 'p.site_id = $1 AND p.live_hash IS DISTINCT FROM p.draft_hash'
  const pages = await rows<UnpublishedPage>(
    db,
    `SELECT p.id, p.path, p.title, p.live_hash IS NULL AS "isNew", (SELECT name FROM people WHERE people.id = p.edited_by) AS by, p.draft_at AS at
     FROM pages p WHERE ${where} ORDER BY p.draft_at DESC, p.path LIMIT $2`,
    [siteId, limit],
  )
  const [count] = await rows<{ total: number }>(db, `SELECT count(*)::int AS total FROM pages p WHERE ${where}`, [siteId])
  return { pages, total: count?.total ?? 0 }
}

export async function unpublishedFiles(db: Database, siteId: string): Promise<number> {
  const [count] = await rows<{ total: number }>(
    db,
    'SELECT count(*)::int AS total FROM files WHERE site_id = $1 AND live_hash IS DISTINCT FROM draft_hash',
    [siteId],
  )
  return count?.total ?? 0
}

/**
 * Makes drafts live, in one publication with its items. Files go along: a page without its pictures is not the page.
 * @param pageIds - null for every page
 * @returns null when nothing differed from the live site
 */
export async function publish(
  db: Database,
  siteId: string,
  pageIds: readonly string[] | null,
  personId: string,
  transaction: Transaction,
): Promise<string | null> {
  await rows(db, 'SELECT id FROM sites WHERE id = $1 FOR UPDATE', [siteId], transaction) // one publication after the other
  const [made] = await rows<{ id: string }>(
    db,
    'INSERT INTO publications (site_id, number, person_id) SELECT $1, coalesce(max(number), 0) + 1, $2 FROM publications WHERE site_id = $1 RETURNING id',
    [siteId, personId],
    transaction,
  )
  const id = made?.id ?? ''
  const items = await rows(
    db,
    `WITH due_pages AS (
       SELECT id, path, live_hash, draft_hash FROM pages WHERE site_id = $1 AND live_hash IS DISTINCT FROM draft_hash AND ($3::uuid[] IS NULL OR id = ANY($3::uuid[])) FOR UPDATE),
     due_files AS (SELECT id, path, live_hash, draft_hash FROM files WHERE site_id = $1 AND live_hash IS DISTINCT FROM draft_hash FOR UPDATE),
     pages_done AS (UPDATE pages SET live_hash = due_pages.draft_hash, live_encoding = encoding, live_at = now() FROM due_pages WHERE pages.id = due_pages.id),
     files_done AS (UPDATE files SET live_hash = due_files.draft_hash FROM due_files WHERE files.id = due_files.id)
     INSERT INTO publication_items (publication_id, kind, path, from_hash, to_hash)
       SELECT $2::uuid, 'page', path, live_hash, draft_hash FROM due_pages UNION ALL SELECT $2::uuid, 'file', path, live_hash, draft_hash FROM due_files RETURNING 1`,
    [siteId, id, pageIds],
    transaction,
  )
  if (items.length > 0) return id
  await rows(db, 'DELETE FROM publications WHERE id = $1', [id], transaction)
  return null
}

export interface ListedPublication {
  readonly id: string
  readonly number: number
  readonly at: Date
  readonly by: string | null
  readonly pages: number
  readonly files: number
}

export function listPublications(db: Database, siteId: string, id: string | null, limit: number): Promise<ListedPublication[]> {
  return rows<ListedPublication>(
    db,
    `SELECT u.id, u.number, u.created_at AS at, (SELECT name FROM people WHERE people.id = u.person_id) AS by,
       (SELECT count(*)::int FROM publication_items i WHERE i.publication_id = u.id AND kind = 'page') AS pages,
       (SELECT count(*)::int FROM publication_items i WHERE i.publication_id = u.id AND kind = 'file') AS files
     FROM publications u WHERE u.site_id = $1 AND ($2::uuid IS NULL OR u.id = $2) ORDER BY u.number DESC LIMIT $3`,
    [siteId, id, limit],
  )
}
