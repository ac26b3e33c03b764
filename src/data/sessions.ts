import type { Transaction } from 'sequelize'
import { type Database, rows } from './database.ts'
import type { SessionRow } from './models.ts'

/** Notes at which site somebody was last: there they begin the next time. */
const BEGUN = 'UPDATE memberships SET used_at = now() WHERE person_id = $1 AND site_id = $2'

/** Lets somebody in at a site. @returns the session's id */
export async function insertSession(
  db: Database,
  { personId, siteId, tokenHash, expiresAt }: Omit<SessionRow, 'id'>,
  transaction: Transaction,
): Promise<string> {
  const [session] = await rows<{ id: string }>(
    db,
    'INSERT INTO sessions (person_id, site_id, token_hash, expires_at) VALUES ($1, $2, $3, $4) RETURNING id',
    [personId, siteId, tokenHash, expiresAt],
    transaction,
  )
  await rows(db, BEGUN, [personId, siteId], transaction)
  return session?.id ?? ''
}

/** Whose session it is, and at which site; null when there is none of that hash, or it is over. */
export async function sessionOf(db: Database, tokenHash: string): Promise<Pick<SessionRow, 'id' | 'personId' | 'siteId'> | null> {
  const [session] = await rows<Pick<SessionRow, 'id' | 'personId' | 'siteId'>>(
    db,
    'SELECT id, person_id AS "personId", site_id AS "siteId" FROM sessions WHERE token_hash = $1 AND expires_at > now()',
    [tokenHash],
  )
  return session ?? null
}

/** Has a session act at another site of the same person. */
export async function moveSession(
  db: Database,
  { id, personId, siteId }: Pick<SessionRow, 'id' | 'personId' | 'siteId'>,
  transaction: Transaction,
): Promise<void> {
  await rows(db, 'UPDATE sessions SET site_id = $3 WHERE id = $1 AND person_id = $2', [id, personId, siteId], transaction)
  await rows(db, BEGUN, [personId, siteId], transaction)
}

export async function endSession(db: Database, tokenHash: string): Promise<void> {
  await rows(db, 'DELETE FROM sessions WHERE token_hash = $1', [tokenHash])
}

/** Takes away the sessions that are over. @returns how many there were */
export async function dropExpiredSessions(db: Database): Promise<number> {
  return (await rows(db, 'DELETE FROM sessions WHERE expires_at < now() RETURNING 1 AS gone')).length
}
