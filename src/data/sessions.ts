import type { Transaction } from 'sequelize'
import { type Database, rows } from './database.ts'

/** Lets somebody in. @returns the session's id */
export async function insertSession(
  db: Database,
  { personId, tokenHash, expiresAt }: { personId: string; tokenHash: string; expiresAt: Date },
  transaction: Transaction,
): Promise<string> {
  const [session] = await rows<{ id: string }>(
    db,
    'INSERT INTO sessions (person_id, token_hash, expires_at) VALUES ($1, $2, $3) RETURNING id',
    [personId, tokenHash, expiresAt],
    transaction,
  )
  return session?.id ?? ''
}

/** Whose session it is; null when there is none of that hash, or it is over. */
export async function sessionOf(db: Database, tokenHash: string): Promise<{ id: string; personId: string } | null> {
  const [session] = await rows<{ id: string; personId: string }>(
    db,
    'SELECT id, person_id AS "personId" FROM sessions WHERE token_hash = $1 AND expires_at > now()',
    [tokenHash],
  )
  return session ?? null
}

export async function endSession(db: Database, tokenHash: string): Promise<void> {
  await rows(db, 'DELETE FROM sessions WHERE token_hash = $1', [tokenHash])
}

/** Takes away the sessions that are over. @returns how many there were */
export async function dropExpiredSessions(db: Database): Promise<number> {
  return (await rows(db, 'DELETE FROM sessions WHERE expires_at < now() RETURNING 1 AS gone')).length
}
