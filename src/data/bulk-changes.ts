import type { Transaction } from 'sequelize'
import { type Database, jsonOf, rows } from './database.ts'

export interface BulkChangeRow {
  readonly id: string
  readonly change: unknown
  readonly links: number
  readonly pages: number
  readonly by: string | null
  readonly at: Date
  readonly isUndone: boolean
}

/** A page that a bulk change changed, with what it was and what it became. */
export interface BulkPage {
  readonly pageId: string
  readonly beforeHash: string
  readonly beforeEncoding: string
  readonly afterHash: string
}

export async function insertBulkChange(
  db: Database,
  {
    siteId,
    change,
    links,
    personId,
    pages,
  }: { siteId: string; change: object; links: number; personId: string; pages: readonly BulkPage[] },
  transaction: Transaction,
): Promise<string> {
  const [made] = await rows<{ id: string }>(
    db,
    'INSERT INTO bulk_changes (site_id, change, links, person_id) VALUES ($1, $2::jsonb, $3, $4) RETURNING id',
    [siteId, jsonOf(change), links, personId],
    transaction,
  )
  const id = made?.id ?? ''
  await rows(
    db,
    `INSERT INTO bulk_change_pages (bulk_change_id, page_id, before_hash, before_encoding, after_hash)
     SELECT $1, "pageId", "beforeHash", "beforeEncoding", "afterHash"
     FROM jsonb_to_recordset($2::jsonb) AS x("pageId" uuid, "beforeHash" text, "beforeEncoding" text, "afterHash" text)`,
    [id, JSON.stringify(pages)],
    transaction,
  )
  return id
}

/** Newest first. */
export function listBulkChanges(db: Database, siteId: string, id: string | null, limit: number): Promise<BulkChangeRow[]> {
  return rows<BulkChangeRow>(
    db,
    `SELECT c.id, c.change, c.links, (SELECT count(*)::int FROM bulk_change_pages p WHERE p.bulk_change_id = c.id) AS pages,
       (SELECT name FROM people WHERE people.id = c.person_id) AS by, c.created_at AS at, c.undone_at IS NOT NULL AS "isUndone"
     FROM bulk_changes c WHERE c.site_id = $1 AND ($2::uuid IS NULL OR c.id = $2) ORDER BY c.created_at DESC LIMIT $3`,
    [siteId, id, limit],
  )
}

export function bulkChangePages(db: Database, id: string): Promise<BulkPage[]> {
  return rows<BulkPage>(
    db,
    `SELECT page_id AS "pageId", before_hash AS "beforeHash", before_encoding AS "beforeEncoding", after_hash AS "afterHash"
     FROM bulk_change_pages WHERE bulk_change_id = $1`,
    [id],
  )
}

/** @returns false when it has been taken back already */
export async function markUndone(db: Database, id: string, transaction: Transaction): Promise<boolean> {
  const [row] = await rows(
    db,
    'UPDATE bulk_changes SET undone_at = now() WHERE id = $1 AND undone_at IS NULL RETURNING id',
    [id],
    transaction,
  )
  return row !== undefined
}
