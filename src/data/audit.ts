import type { Transaction } from 'sequelize'
import { type Database, jsonOf, rows } from './database.ts'

/** Writes down who did what. Details must hold no secret. */
export async function insertAudit(
  db: Database,
  who: { readonly siteId: string; readonly personId: string; readonly tokenId: string | null },
  { action, subject, detail }: { action: string; subject: string | null; detail: object },
  transaction: Transaction,
): Promise<void> {
  await rows(
    db,
    'INSERT INTO audit (site_id, person_id, token_id, action, subject, detail) VALUES ($1, $2, $3, $4, $5, $6::jsonb)',
    [who.siteId, who.personId, who.tokenId, action, subject, jsonOf(detail)],
    transaction,
  )
}

/** Takes away what was written down long ago. */
export async function dropOldAudit(db: Database, olderThanDays: number): Promise<void> {
  await rows(db, 'DELETE FROM audit WHERE at < now() - make_interval(days => $1)', [olderThanDays])
}
