import { type Database, rows, type Transaction } from './database.ts'
import { count, isNot, NEXT, NOW, remove, update } from './plain.ts'
import { holdSite } from './sites.ts'
import { entryLinks, type MembershipRow, memberships, type PersonRow, people, selected, sessions, tokens } from './tables/index.ts'

/** Somebody at a site. */
export type Member = Pick<PersonRow, 'id' | 'email' | 'name' | 'passwordHash'> & Pick<MembershipRow, 'siteId' | 'role' | 'version'>
export type ListedPerson = Omit<Member, 'passwordHash'> & Pick<MembershipRow, 'endedAt'> & { readonly hasPassword: boolean }

const IDENTITY = `${selected(people, ['id', 'email', 'name'], 'p')}, ${selected(memberships, ['siteId', 'role', 'version'], 'm')}`
const LISTED = `${IDENTITY}, ${selected(memberships, ['endedAt'], 'm')}, p.password_hash IS NOT NULL AS "hasPassword"`
const MEMBERS = 'memberships m JOIN people p ON p.id = m.person_id'

/** Everybody of a site, who has ended last. */
export function listPeople(db: Database, siteId: string): Promise<ListedPerson[]> {
  return rows<ListedPerson>(
    db,
    `SELECT ${LISTED} FROM ${MEMBERS} WHERE m.site_id = $1 ORDER BY m.ended_at IS NOT NULL, lower(p.name), p.id`,
    [siteId],
  )
}

const listed = async (db: Database, siteId: string, id: string, transaction: Transaction): Promise<ListedPerson | null> => {
  const [person] = await rows<ListedPerson>(
    db,
    `SELECT ${LISTED} FROM ${MEMBERS} WHERE m.site_id = $1 AND p.id = $2`,
    [siteId, id],
    transaction,
  )
  return person ?? null
}

/** Locks a site's people, so that who is an owner stays true until the transaction ends. @returns one person; null when there is no such */
export async function lockPerson(db: Database, siteId: string, id: string, transaction: Transaction): Promise<ListedPerson | null> {
  await holdSite(db, siteId, transaction)
  return listed(db, siteId, id, transaction)
}

/** Owners that can sign in, besides one. */
export async function otherOwners(db: Database, siteId: string, id: string, transaction: Transaction): Promise<number> {
  const [count] = await rows<{ n: number }>(
    db,
    `SELECT count(*)::int AS n FROM ${MEMBERS}
     WHERE m.site_id = $1 AND p.id <> $2 AND m.role = 'owner' AND m.ended_at IS NULL AND p.password_hash IS NOT NULL`,
    [siteId, id],
    transaction,
  )
  return count?.n ?? 0
}

/** People of a site who have not ended. */
export const countPeople = (db: Database, siteId: string, transaction: Transaction): Promise<number> =>
  count(db, memberships, { siteId, endedAt: null }, transaction)

/** Whether somebody belongs to a site that another one does not own: what is theirs as a person is not that one's to change. */
export async function isBeyond(db: Database, personId: string, ownerId: string, transaction: Transaction): Promise<boolean> {
  const [found] = await rows<{ is: boolean }>(
    db,
    `SELECT EXISTS (SELECT 1 FROM memberships m WHERE m.person_id = $1 AND m.ended_at IS NULL AND NOT EXISTS (
       SELECT 1 FROM memberships o WHERE o.person_id = $2 AND o.site_id = m.site_id AND o.role = 'owner' AND o.ended_at IS NULL)) AS is`,
    [personId, ownerId],
    transaction,
  )
  return found?.is === true
}

/** A person as they are put down: a mail address, a name, and what they are at a site. */
type NewPerson = Pick<Member, 'siteId' | 'email' | 'name' | 'role'>

/**
 * Adds somebody to a site, or takes somebody in again who had ended. Who belongs to another site keeps name and password.
 * @returns null when somebody of that mail address is there already
 */
export async function admitPerson(db: Database, person: NewPerson, transaction: Transaction): Promise<ListedPerson | null> {
  const [found] = await rows<{ id: string }>(
    db,
    `INSERT INTO people (email, name) VALUES ($1, $2) ON CONFLICT (email) DO UPDATE SET updated_at = now() RETURNING id`,
    [person.email, person.name],
    transaction,
  )
  const id = found?.id ?? ''
  await rows(
    db,
    `UPDATE people SET name = $2, password_hash = NULL WHERE id = $1 AND NOT EXISTS (SELECT 1 FROM memberships WHERE person_id = $1 AND ended_at IS NULL)`,
    [id, person.name],
    transaction,
  )
  const [admitted] = await rows(
    db,
    `INSERT INTO memberships (person_id, site_id, role) VALUES ($1, $2, $3)
     ON CONFLICT (person_id, site_id) DO UPDATE SET role = $3, ended_at = NULL, version = memberships.version + 1, updated_at = now()
       WHERE memberships.ended_at IS NOT NULL RETURNING person_id`,
    [id, person.siteId, person.role],
    transaction,
  )
  return admitted === undefined ? null : listed(db, person.siteId, id, transaction)
}

/** @returns null when `version` is not the newest */
export async function updatePerson(
  db: Database,
  { id, siteId, version, name, role }: Pick<Member, 'id' | 'siteId' | 'version' | 'name' | 'role'>,
  transaction: Transaction,
): Promise<ListedPerson | null> {
  const next = { role, version: version + 1, updatedAt: NOW }
  const changed = await update(db, memberships, next, { personId: id, siteId, version, endedAt: null }, transaction)
  if (changed === 0) return null
  await update(db, people, { name, updatedAt: NOW }, { id, name: isNot(name) }, transaction)
  return listed(db, siteId, id, transaction)
}

/** Ends somebody at a site: no way in is left there, nor anywhere for who was at no other. The name stays in the history. */
export async function endPerson(db: Database, siteId: string, id: string, transaction: Transaction): Promise<void> {
  const there = { personId: id, siteId }
  await update(db, memberships, { endedAt: NOW, version: NEXT, updatedAt: NOW }, there, transaction)
  await remove(db, sessions, there, transaction)
  await update(db, tokens, { revokedAt: NOW }, { ...there, revokedAt: null }, transaction)
  const nowhere = 'NOT EXISTS (SELECT 1 FROM memberships m WHERE m.person_id = $1 AND m.ended_at IS NULL)'
  await rows(db, `UPDATE people SET password_hash = NULL, updated_at = now() WHERE id = $1 AND ${nowhere}`, [id], transaction)
  await rows(db, `DELETE FROM entry_links WHERE person_id = $1 AND ${nowhere}`, [id], transaction)
}

/** Takes one-time links of somebody away: whoever holds one from before comes in nowhere by it. */
export const dropEntryLinks = (db: Database, personId: string, transaction: Transaction): Promise<unknown> =>
  remove(db, entryLinks, { personId }, transaction)

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
     WHERE e.token_hash = $1 AND e.expires_at > now()${transaction === undefined ? '' : ' FOR UPDATE OF e'}`,
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
  await update(db, people, { passwordHash, updatedAt: NOW }, { id: personId }, transaction)
  await dropEntryLinks(db, personId, transaction)
  await remove(db, sessions, { personId, ...(keep === null ? {} : { id: isNot(keep) }) }, transaction)
}

const MEMBER = `SELECT ${IDENTITY}, p.password_hash AS "passwordHash" FROM ${MEMBERS} WHERE m.ended_at IS NULL`

/** Somebody at a site, who has not ended there. */
export async function findMember(db: Database, id: string, siteId: string, transaction?: Transaction): Promise<Member | null> {
  const [member] = await rows<Member>(db, `${MEMBER} AND p.id = $1 AND m.site_id = $2`, [id, siteId], transaction)
  return member ?? null
}

/** Somebody at the site where they were last, of those where they have not ended. @param who - by id, or by mail address in lower case */
export async function findPerson(
  db: Database,
  who: { readonly id: string } | { readonly email: string },
  transaction?: Transaction,
): Promise<Member | null> {
  const [member] = await rows<Member>(
    db,
    `${MEMBER} AND ${'id' in who ? 'p.id' : 'p.email'} = $1 ORDER BY m.used_at DESC NULLS LAST, m.created_at, m.site_id LIMIT 1`,
    ['id' in who ? who.id : who.email],
    transaction,
  )
  return member ?? null
}

/** A site that somebody belongs to. */
export interface OwnSite {
  readonly id: string
  readonly name: string
  readonly role: Member['role']
}

/** The sites where somebody has not ended, by name. */
export const sitesOf = (db: Database, personId: string): Promise<OwnSite[]> =>
  rows(
    db,
    `SELECT s.id, s.name, m.role FROM memberships m JOIN sites s ON s.id = m.site_id WHERE m.person_id = $1 AND m.ended_at IS NULL
     ORDER BY lower(s.name), s.id`,
    [personId],
  )

/** Somebody new of a site, as they are. @returns null when that mail address is somebody's */
export async function insertPerson(
  db: Database,
  { siteId, email, name, role, passwordHash }: NewPerson & Pick<Member, 'passwordHash'>,
  transaction?: Transaction,
): Promise<Member | null> {
  const [made] = await rows<{ id: string }>(
    db,
    `WITH made AS (INSERT INTO people (email, name, password_hash) VALUES ($2, $3, $5) ON CONFLICT DO NOTHING RETURNING id)
     INSERT INTO memberships (person_id, site_id, role) SELECT id, $1, $4 FROM made RETURNING person_id AS id`,
    [siteId, email, name, role, passwordHash],
    transaction,
  )
  return made === undefined ? null : findMember(db, made.id, siteId, transaction)
}
