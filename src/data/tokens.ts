import type { Transaction } from 'sequelize'
import { type Database, rows } from './database.ts'
import type { TokenRow } from './models.ts'

const COLUMNS = 'id, person_id AS "personId", site_id AS "siteId", name, scopes, created_at AS "createdAt"'
export type ListedToken = Pick<TokenRow, 'id' | 'personId' | 'siteId' | 'name' | 'scopes' | 'createdAt'>

/** @returns null when no token that still works has that hash */
export async function tokenOf(db: Database, tokenHash: string): Promise<ListedToken | null> {
  const [token] = await rows<ListedToken>(db, `SELECT ${COLUMNS} FROM tokens WHERE token_hash = $1 AND revoked_at IS NULL`, [tokenHash])
  return token ?? null
}

/** Whose they are, and at which site they act. */
type Owned = Pick<TokenRow, 'personId' | 'siteId'>

/** Somebody's tokens at a site that still work, newest first. */
export function listTokens(db: Database, { personId, siteId }: Owned): Promise<ListedToken[]> {
  return rows<ListedToken>(
    db,
    `SELECT ${COLUMNS} FROM tokens WHERE person_id = $1 AND site_id = $2 AND revoked_at IS NULL ORDER BY created_at DESC`,
    [personId, siteId],
  )
}

export async function insertToken(
  db: Database,
  { personId, siteId, name, scopes, tokenHash }: Owned & { name: string; scopes: readonly string[]; tokenHash: string },
  transaction: Transaction,
): Promise<ListedToken> {
  const [token] = await rows<ListedToken>(
    db,
    `INSERT INTO tokens (person_id, site_id, name, scopes, token_hash) VALUES ($1, $2, $3, $4::text[], $5) RETURNING ${COLUMNS}`,
    [personId, siteId, name, [...scopes], tokenHash],
    transaction,
  )
  if (token === undefined) throw new Error('a token was not kept')
  return token
}

/** @returns false when the person has no such token at the site that still works */
export async function revokeToken(db: Database, { personId, siteId }: Owned, id: string, transaction: Transaction): Promise<boolean> {
  const revoked = await rows(
    db,
    'UPDATE tokens SET revoked_at = now() WHERE id = $1 AND person_id = $2 AND site_id = $3 AND revoked_at IS NULL RETURNING id',
    [id, personId, siteId],
    transaction,
  )
  return revoked.length > 0
}
