import type { Fine } from '../core/placements/index.ts'
import { type Database, rows, type Transaction } from './database.ts'

/** What people marked as fine on a site, by key. */
export async function listFine(db: Database, siteId: string): Promise<ReadonlyMap<string, Fine>> {
  const found = await rows<{ key: string; reason: string; by: string | null }>(
    db,
    `SELECT key, reason, (SELECT name FROM people WHERE people.id = person_id) AS by FROM fine_findings WHERE site_id = $1`,
    [siteId],
  )
  return new Map(found.map(({ key, reason, by }) => [key, { reason, by }]))
}

/** Marks a finding as fine; a second word on the same replaces the first. */
export async function putFine(
  db: Database,
  fine: { siteId: string; pageId: string; key: string; finding: string; reason: string; personId: string },
  transaction: Transaction,
): Promise<void> {
  await rows(
    db,
    `INSERT INTO fine_findings (site_id, page_id, key_hash, key, finding, reason, person_id) VALUES ($1, $2, md5($3), $3, $4, $5, $6)
     ON CONFLICT (site_id, key_hash) DO UPDATE SET reason = $5, person_id = $6, created_at = now()`,
    [fine.siteId, fine.pageId, fine.key, fine.finding, fine.reason, fine.personId],
    transaction,
  )
}

/** Takes such a mark back. */
export async function dropFine(db: Database, siteId: string, key: string, transaction: Transaction): Promise<void> {
  await rows(db, 'DELETE FROM fine_findings WHERE site_id = $1 AND key_hash = md5($2)', [siteId, key], transaction)
}
