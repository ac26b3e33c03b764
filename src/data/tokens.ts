import type { Transaction } from 'sequelize'
import { type Database, rows } from './database.ts'
import type { TokenRow } from './models.ts'

const COLUMNS = 'id, person_id AS "personId", name, scopes, created_at AS "createdAt"'
export type ListedToken = Pick<TokenRow, 'id' | 'personId' | 'name' | 'scopes' | 'createdAt'>

/** @returns null when no token that still works has that hash */
export async function tokenOf(db: Database, tokenHash: string): Promise<ListedToken | null> {
  const [token] = await rows<ListedToken>(db, `SELECT ${COLUMNS} FROM tokens WHERE token_hash = $1 AND revoked_at IS NULL`, [tokenHash])
  return token ?? null
}

/** Somebody's tokens that still work, newest first. */
export function listTokens(db: Database, personId: string): Promise<ListedToken[]> {
  return rows<ListedToken>(db, `SELECT ${COLUMNS} FROM tokens WHERE person_id = $1 AND revoked_at IS NULL ORDER BY created_at DESC`, [
    personId,
  ])
}

export async function insertToken(
  db: Database,
  { personId, name, scopes, tokenHash }: { personId: string; name: string; scopes: readonly string[]; tokenHash: string },
  transaction: Transaction,
): Promise<ListedToken> {
  const [token] = await rows<ListedToken>(
    db,
    `INSERT INTO tokens (person_id, name, scopes, token_hash) VALUES ($1, $2, $3::text[], $4) RETURNING ${COLUMNS}`,
    [personId, name, [...scopes], tokenHash],
    transaction,
  )
  if (token === undefined) throw new Error('a token was not kept')
  return token
}

/** @returns false when the person has no such token that still works */
export async function revokeToken(db: Database, personId: string, id: string, transaction: Transaction): Promise<boolean> {
  const revoked = await rows(
    db,
    'UPDATE tokens SET revoked_at = now() WHERE id = $1 AND person_id = $2 AND revoked_at IS NULL RETURNING id',
    [id, personId],
    transaction,
  )
  return revoked.length > 0
}
