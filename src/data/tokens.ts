import type { Database, Transaction } from './database.ts'
import { insert, NOW, only, select, selectOne, update } from './plain.ts'
import { type TokenRow, tokens } from './tables/index.ts'

const LISTED = ['id', 'personId', 'siteId', 'name', 'scopes', 'createdAt'] as const
export type ListedToken = Pick<TokenRow, (typeof LISTED)[number]>

/** @returns null when no token that still works has that hash */
export const tokenOf = (db: Database, tokenHash: string): Promise<ListedToken | null> =>
  selectOne(db, tokens, LISTED, { tokenHash, revokedAt: null })

/** Whose they are, and at which site they act. */
type Owned = Pick<TokenRow, 'personId' | 'siteId'>

/** Somebody's tokens at a site that still work, newest first. */
export const listTokens = (db: Database, { personId, siteId }: Owned): Promise<ListedToken[]> =>
  select(db, tokens, LISTED, { personId, siteId, revokedAt: null }, { order: [['createdAt', 'DESC']] })

export async function insertToken(
  db: Database,
  { personId, siteId, name, tokenHash, scopes }: Owned & Pick<TokenRow, 'name' | 'tokenHash'> & { readonly scopes: readonly string[] },
  transaction: Transaction,
): Promise<ListedToken> {
  return only(await insert(db, tokens, { personId, siteId, name, tokenHash, scopes: [...scopes] }, transaction), LISTED)
}

/** @returns false when the person has no such token at the site that still works */
export async function revokeToken(db: Database, { personId, siteId }: Owned, id: string, transaction: Transaction): Promise<boolean> {
  return (await update(db, tokens, { revokedAt: NOW }, { id, personId, siteId, revokedAt: null }, transaction)) > 0
}
