import type { Database, Transaction } from './database.ts'
import { ago, insert, isBefore, remove } from './plain.ts'
import { audit } from './tables/index.ts'

/** Writes down who did what. Details must hold no secret. */
export async function insertAudit(
  db: Database,
  who: { readonly siteId: string; readonly personId: string; readonly tokenId: string | null },
  what: { action: string; subject: string | null; detail: object },
  transaction: Transaction,
): Promise<void> {
  const { siteId, personId, tokenId } = who
  await insert(db, audit, { siteId, personId, tokenId, ...what }, transaction)
}

/** Takes away what was written down long ago. */
export async function dropOldAudit(db: Database, olderThanDays: number): Promise<void> {
  await remove(db, audit, { at: isBefore(ago(olderThanDays, 'days')) })
}
