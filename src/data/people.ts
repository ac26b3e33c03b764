import type { Transaction } from 'sequelize'
import { type Database, rows } from './database.ts'
import type { PersonRow } from './models.ts'

export type ListedPerson = Omit<PersonRow, 'passwordHash'> & { readonly hasPassword: boolean }

const COLUMNS = 'id, site_id AS "siteId", email, name, role, ended_at AS "endedAt", version, password_hash IS NOT NULL AS "hasPassword"'

/** Everybody of a site, who has ended last. */
export function listPeople(db: Database, siteId: string): Promise<ListedPerson[]> {
  return rows<ListedPerson>(db, `SELECT ${COLUMNS} FROM people WHERE site_id = $1 ORDER BY ended_at IS NOT NULL, lower(name), id`, [siteId])
}

/** Locks a site's people, so that who is an owner stays true until the transaction ends. @returns one person; null when there is no such */
export async function lockPerson(db: Database, siteId: string, id: string, transaction: Transaction): Promise<ListedPerson | null> {
  await rows(db, 'SELECT id FROM sites WHERE id = $1 FOR UPDATE', [siteId], transaction)
  const [person] = await rows<ListedPerson>(db, `SELECT ${COLUMNS} FROM people WHERE site_id = $1 AND id = $2`, [siteId, id], transaction)
  return person ?? null
}

/** Owners that can sign in, besides one. */
export async function otherOwners(db: Database, siteId: string, id: string, transaction: Transaction): Promise<number> {
  const [count] = await rows<{ n: number }>(
    db,
    `SELECT count(*)::int AS n FROM people WHERE site_id = $1 AND id <> $2 AND role = 'owner' AND ended_at IS NULL AND password_hash IS NOT NULL`,
    [siteId, id],
    transaction,
  )
  return count?.n ?? 0
}

/** People of a site who have not ended. */
export async function countPeople(db: Database, siteId: string, transaction: Transaction): Promise<number> {
  const [found] = await rows<{ n: number }>(
    db,
    'SELECT count(*)::int AS n FROM people WHERE site_id = $1 AND ended_at IS NULL',
    [siteId],
    transaction,
  )
  return found?.n ?? 0
}

/** Adds somebody, or takes somebody in again who had ended. @returns null when that mail address is somebody's */
export async function admitPerson(
  db: Database,
  person: Pick<PersonRow, 'siteId' | 'email' | 'name' | 'role'>,
  transaction: Transaction,
): Promise<ListedPerson | null> {
  const [made] = await rows<ListedPerson>(
    db,
    `INSERT INTO people (site_id, email, name, role) VALUES ($1, $2, $3, $4)
     ON CONFLICT (email) DO UPDATE SET name = $3, role = $4, ended_at = NULL, password_hash = NULL, version = people.version + 1, updated_at = now()
       WHERE people.site_id = $1 AND people.ended_at IS NOT NULL RETURNING ${COLUMNS}`,
    [person.siteId, person.email, person.name, person.role],
    transaction,
  )
  return made ?? null
}

/** @returns null when `version` is not the newest */
export async function updatePerson(
  db: Database,
  { id, version, name, role }: Pick<PersonRow, 'id' | 'version' | 'name' | 'role'>,
  transaction: Transaction,
): Promise<ListedPerson | null> {
  const [changed] = await rows<ListedPerson>(
    db,
    `UPDATE people SET name = $3, role = $4, version = version + 1, updated_at = now() WHERE id = $1 AND version = $2 AND ended_at IS NULL RETURNING ${COLUMNS}`,
    [id, version, name, role],
    transaction,
  )
  return changed ?? null
}

/** Ends somebody: no way in is left, and the name stays in the history. */
export async function endPerson(db: Database, id: string, transaction: Transaction): Promise<void> {
  await rows(
    db,
    'UPDATE people SET ended_at = now(), password_hash = NULL, version = version + 1, updated_at = now() WHERE id = $1',
    [id],
    transaction,
  )
  await rows(db, 'DELETE FROM sessions WHERE person_id = $1', [id], transaction)
  await rows(db, 'DELETE FROM entry_links WHERE person_id = $1', [id], transaction)
  await rows(db, 'UPDATE tokens SET revoked_at = now() WHERE person_id = $1 AND revoked_at IS NULL', [id], transaction)
}

/** Gives somebody a one-time link; the one before it no longer works. */
export async function putEntryLink(db: Database, personId: string, hash: string, endsAt: Date, transaction: Transaction): Promise<void> {
  await rows(
    db,
    `INSERT INTO entry_links (person_id, token_hash, expires_at) VALUES ($1, $2, $3)
     ON CONFLICT (person_id) DO UPDATE SET token_hash = $2, expires_at = $3, created_at = now()`,
    [personId, hash, endsAt],
    transaction,
  )
}

/** Whose one-time link this is; null when it was used, is over, or never was. */
export async function personOfLink(
  db: Database,
  hash: string,
  transaction?: Transaction,
): Promise<{ id: string; name: string; email: string } | null> {
  const [person] = await rows<{ id: string; name: string; email: string }>(
    db,
    `SELECT p.id, p.name, p.email FROM entry_links e JOIN people p ON p.id = e.person_id
     WHERE e.token_hash = $1 AND e.expires_at > now() AND p.ended_at IS NULL${transaction === undefined ? '' : ' FOR UPDATE OF e'}`,
    [hash],
    transaction,
  )
  return person ?? null
}

/** Sets a password: one-time links and sessions opened before it end, but for one. */
export async function putPassword(
  db: Database,
  personId: string,
  passwordHash: string,
  keep: string | null,
  transaction: Transaction,
): Promise<void> {
  await rows(
    db,
    'UPDATE people SET password_hash = $2, version = version + 1, updated_at = now() WHERE id = $1',
    [personId, passwordHash],
    transaction,
  )
  await rows(db, 'DELETE FROM entry_links WHERE person_id = $1', [personId], transaction)
  await rows(db, 'DELETE FROM sessions WHERE person_id = $1 AND id IS DISTINCT FROM $2::uuid', [personId, keep], transaction)
}

/** Somebody who has not ended, with the hash of their password. @param who - by id, or by mail address in lower case */
export async function findPerson(
  db: Database,
  who: { readonly id: string } | { readonly email: string },
  transaction?: Transaction,
): Promise<PersonRow | null> {
  const [person] = await rows<PersonRow>(
    db,
    `SELECT id, site_id AS "siteId", email, name, role, password_hash AS "passwordHash", ended_at AS "endedAt", version
     FROM people WHERE ${'id' in who ? 'id' : 'email'} = $1 AND ended_at IS NULL`,
    ['id' in who ? who.id : who.email],
    transaction,
  )
  return person ?? null
}

/** The first owner of a site, who can sign in at once. @returns null when that mail address is somebody's */
export async function insertOwner(
  db: Database,
  owner: { readonly siteId: string; readonly email: string; readonly name: string; readonly passwordHash: string },
  transaction: Transaction,
): Promise<PersonRow | null> {
  const [made] = await rows<{ id: string }>(
    db,
    `INSERT INTO people (site_id, email, name, role, password_hash) VALUES ($1, $2, $3, 'owner', $4) ON CONFLICT DO NOTHING RETURNING id`,
    [owner.siteId, owner.email, owner.name, owner.passwordHash],
    transaction,
  )
  return made === undefined ? null : findPerson(db, made, transaction)
}
