import { type Database, rows, type Transaction } from './database.ts'
import { insert, insertAll, NOW, select, update } from './plain.ts'
import { bulkChangePages, bulkChanges, type RowOf } from './tables/index.ts'

export interface BulkChangeRow {
  readonly id: string
  readonly change: unknown
  readonly links: number
  readonly pages: number
  readonly by: string | null
  readonly at: Date
  readonly isUndone: boolean
}

const BULK_PAGE = ['pageId', 'beforeHash', 'beforeEncoding', 'afterHash'] as const
/** A page that a bulk change changed, with what it was and what it became. */
export type BulkPage = Readonly<Pick<RowOf<typeof bulkChangePages>, (typeof BULK_PAGE)[number]>>

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
  const { id } = await insert(db, bulkChanges, { siteId, change, links, personId }, transaction)
  const each = pages.map((page) => ({ bulkChangeId: id, ...page }))
  await insertAll(db, bulkChangePages, ['bulkChangeId', ...BULK_PAGE], each, transaction)
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

export const pagesOfBulkChange = (db: Database, id: string): Promise<BulkPage[]> =>
  select(db, bulkChangePages, BULK_PAGE, { bulkChangeId: id })

/** @returns false when it has been taken back already */
export async function markUndone(db: Database, id: string, transaction: Transaction): Promise<boolean> {
  return (await update(db, bulkChanges, { undoneAt: NOW }, { id, undoneAt: null }, transaction)) > 0
}
