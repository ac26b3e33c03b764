import { UniqueConstraintError } from 'sequelize'
import type { Partner } from '../contract/partners.ts'
import { type Database, jsonOf, rows, type Transaction } from './database.ts'
import { count, IS_THERE, remove, select, update } from './plain.ts'
import { columnsOf, partners, recordOf, recordTypes, type StoredPartner, selected, setFrom } from './tables/index.ts'

/** Somebody's name is another partner's already. */
export class NameTaken extends Error {}

const SAYS = [
  'name',
  'sites',
  'template',
  'account',
  'what',
  'networkId',
  'isNetwork',
  'status',
  'endsOn',
  'allows',
  'commission',
  'currency',
  'cookieDays',
  'payout',
  'isPaid',
  'contact',
  'notes',
  'loginUrl',
] as const satisfies readonly (keyof Partner)[]
/** What of a partner people set. */
export type PartnerFields = Pick<StoredPartner, (typeof SAYS)[number]>
export interface PartnerRow extends PartnerFields {
  readonly id: string
  readonly version: number
  readonly hasLogIn: boolean
}

const SHOWN = `${selected(partners, ['id', ...SAYS, 'version'], 'p')}, p.log_in IS NOT NULL AS "hasLogIn"`
const COLUMNS = columnsOf(partners, SAYS)
const RECORD = recordTypes(partners, SAYS)
const jsonOfFields = (fields: PartnerFields): string => jsonOf(recordOf(partners, SAYS, fields))

/** @throws NameTaken */
async function named<T>(work: Promise<T>): Promise<T> {
  try {
    return await work
  } catch (error) {
    throw error instanceof UniqueConstraintError ? new NameTaken() : error
  }
}

/** Partners by name. */
export const listPartners = (db: Database, siteId: string, transaction?: Transaction): Promise<PartnerRow[]> =>
  rows<PartnerRow>(db, `SELECT ${SHOWN} FROM partners p WHERE p.site_id = $1 ORDER BY p.name`, [siteId], transaction)

/** A partner that one of these sites belongs to already; null where none does. @param exceptId - not counted; null for a new one */
export async function ownerOfSites(
  db: Database,
  siteId: string,
  sites: readonly string[],
  exceptId: string | null,
  transaction: Transaction,
): Promise<PartnerRow | null> {
  const [row] = await rows<PartnerRow>(
    db,
    `SELECT ${SHOWN} FROM partners p WHERE p.site_id = $1 AND p.sites && $2::text[] AND p.id IS DISTINCT FROM $3::uuid LIMIT 1`,
    [siteId, sites, exceptId],
    transaction,
  )
  return row ?? null
}

export const countPartners = (db: Database, siteId: string, transaction: Transaction): Promise<number> =>
  count(db, partners, { siteId }, transaction)

export async function findPartnerNamed(db: Database, siteId: string, name: string): Promise<PartnerRow | null> {
  const [row] = await rows<PartnerRow>(db, `SELECT ${SHOWN} FROM partners p WHERE p.site_id = $1 AND p.name = $2`, [siteId, name])
  return row ?? null
}

export async function findPartner(db: Database, siteId: string, id: string, transaction?: Transaction): Promise<PartnerRow | null> {
  const [row] = await rows<PartnerRow>(db, `SELECT ${SHOWN} FROM partners p WHERE p.site_id = $1 AND p.id = $2`, [siteId, id], transaction)
  return row ?? null
}

/** @throws NameTaken */
export async function insertPartner(db: Database, siteId: string, fields: PartnerFields, transaction: Transaction): Promise<PartnerRow> {
  const [row] = await named(
    rows<PartnerRow>(
      db,
      `INSERT INTO partners AS p (site_id, ${COLUMNS}) SELECT $1, ${COLUMNS} FROM jsonb_to_record($2::jsonb) AS w (${RECORD}) RETURNING ${SHOWN}`,
      [siteId, jsonOfFields(fields)],
      transaction,
    ),
  )
  if (row === undefined) throw new Error('A partner was not made')
  return row
}

/** Writes a change on top of `version`. @returns null when that is not the newest. @throws NameTaken */
export async function updatePartner(
  db: Database,
  { id, siteId, version }: { readonly id: string; readonly siteId: string; readonly version: number },
  fields: PartnerFields,
  transaction: Transaction,
): Promise<PartnerRow | null> {
  const [row] = await named(
    rows<PartnerRow>(
      db,
      `UPDATE partners p SET version = p.version + 1, ${setFrom(partners, SAYS, 'w')} FROM jsonb_to_record($4::jsonb) AS w (${RECORD})
       WHERE p.id = $1 AND p.site_id = $2 AND p.version = $3 RETURNING ${SHOWN}`,
      [id, siteId, version, jsonOfFields(fields)],
      transaction,
    ),
  )
  return row ?? null
}

/** @returns false when there is no such partner */
export async function removePartner(db: Database, siteId: string, id: string, transaction: Transaction): Promise<boolean> {
  return (await remove(db, partners, { id, siteId }, transaction)) > 0
}

/** What is kept of a log-in, encrypted; of a partner without one, its network's. Null where there is none. */
export async function readLogIn(
  db: Database,
  siteId: string,
  id: string,
): Promise<{ readonly ownerId: string; readonly sealed: Buffer } | null> {
  const [row] = await rows<{ ownerId: string; sealed: Buffer }>(
    db,
    `SELECT o.id AS "ownerId", o.log_in AS sealed FROM partners p JOIN partners o ON o.id = p.id OR o.id = p.network_id
     WHERE p.site_id = $1 AND p.id = $2 AND o.log_in IS NOT NULL ORDER BY o.id = p.id DESC LIMIT 1`,
    [siteId, id],
  )
  return row ?? null
}

/** @param sealed - null to forget it. @returns null when `version` is not the newest */
export async function keepLogIn(
  db: Database,
  { id, siteId, version }: { readonly id: string; readonly siteId: string; readonly version: number },
  sealed: Buffer | null,
  transaction: Transaction,
): Promise<PartnerRow | null> {
  const [row] = await rows<PartnerRow>(
    db,
    `UPDATE partners p SET version = p.version + 1, log_in = $4 WHERE p.id = $1 AND p.site_id = $2 AND p.version = $3 RETURNING ${SHOWN}`,
    [id, siteId, version, sealed],
    transaction,
  )
  return row ?? null
}

/** Every log-in that is kept, for another key. */
export async function listLogIns(db: Database, transaction: Transaction): Promise<{ id: string; sealed: Buffer }[]> {
  const found = await select(db, partners, ['id', 'logIn'], { logIn: IS_THERE }, { holds: true, transaction })
  return found.flatMap(({ id, logIn }) => (logIn === null ? [] : [{ id, sealed: logIn }]))
}
export const resealLogIn = (db: Database, id: string, sealed: Buffer, transaction: Transaction): Promise<unknown> =>
  update(db, partners, { logIn: sealed }, { id }, transaction)

/** The host that a row leads to, read from its end, as it is indexed. @param row - its alias in the query */
export const hostOf = (row: string): string =>
  `reverse(lower(substring(${row}.destination from '^[a-z]+://(?:[^/?#@]*@)?([^/:?#]+)'))) COLLATE "C"`

/**
 * Whether a row leads to one of the hosts of `w.host`, or to one below it: a look-up of each host, however many rows there are.
 * @param row - alias of a short link or redirect in the query
 */
export const leadsTo = (row: string): string =>
  `(${hostOf(row)} = reverse(w.host) OR ${hostOf(row)} >= reverse(w.host) || '.' AND ${hostOf(row)} < reverse(w.host) || '/')`

/** The rows of a site that lead out of it, as the index of their hosts is asked. @param site - its id in the query */
export const leadsOut = (site: string): string =>
  `CASE WHEN r.removed_at IS NULL THEN 'out ' || r.site_id::text END = 'out ' || ${site}::uuid::text AND r.destination LIKE 'http%'`

interface UsedPartner {
  readonly id: string
  readonly sites: readonly string[]
}
const WANTED = 'wanted AS MATERIALIZED (SELECT * FROM jsonb_to_recordset($2::jsonb) AS w (id text, host text))'
const wantedHosts = (used: readonly UsedPartner[]): string => jsonOf(used.flatMap(({ id, sites }) => sites.map((host) => ({ id, host }))))

/** Where partners are used: short links and redirects by partner, of those that lead to one of its hosts, with what people clicked through to it. */
export async function usesOfPartners(
  db: Database,
  siteId: string,
  used: readonly UsedPartner[],
): Promise<ReadonlyMap<string, { readonly shortLinks: number; readonly redirects: number; readonly clicks: number }>> {
  const found = await rows<{ id: string; shortLinks: number; redirects: number }>(
    db,
    `WITH ${WANTED},
       used AS (SELECT w.id AS partner, l.id, false AS redirects FROM wanted w JOIN short_links l ON l.site_id = $1 AND ${leadsTo('l')}
         UNION SELECT w.id, r.id, true FROM wanted w JOIN redirects r ON ${leadsOut('$1')} AND ${leadsTo('r')})
     SELECT u.partner AS id, count(*) FILTER (WHERE NOT u.redirects)::int AS "shortLinks", count(*) FILTER (WHERE u.redirects)::int AS redirects
     FROM used u GROUP BY u.partner`,
    [siteId, wantedHosts(used)],
  )
  const uses = new Map(found.map(({ id, ...counts }) => [id, { ...counts, clicks: 0 }]))
  for (const [id, clicks] of await clicksToPartners(db, siteId, used))
    uses.set(id, { shortLinks: 0, redirects: 0, ...uses.get(id), clicks })
  return uses
}

/** Changes of destination that are held against single clicks: those of the last days, and at most in so many hours. */
const SINGLE_DAYS = 7
const SINGLE_HOURS_MAX = 200

/**
 * What people clicked through to partners, by where each click went when it was made: a link that leads elsewhere now takes none of
 * them along. Of a link that always led to one place, days are added up; of others hours, and single clicks within the hour of a change
 * that is not long past. What a split sends elsewhere is nobody's.
 */
async function clicksToPartners(db: Database, siteId: string, used: readonly UsedPartner[]): Promise<ReadonlyMap<string, number>> {
  const found = await rows<{ id: string; clicks: number }>(
    db,
    `WITH ${WANTED},
       led AS MATERIALIZED (SELECT DISTINCT w.id AS partner, v.short_link_id, v.version FROM wanted w JOIN short_link_changes v ON ${leadsTo('v')}
         JOIN short_links l ON l.id = v.short_link_id AND l.site_id = $1),
       links AS MATERIALIZED (SELECT short_link_id, bool_or(is_other) OR bool_or(course ? 'split') AS is_mixed FROM (
         SELECT v.short_link_id, v.course, v.destination <> first_value(v.destination) OVER (PARTITION BY v.short_link_id ORDER BY v.version) AS is_other
         FROM short_link_changes v WHERE v.short_link_id IN (SELECT short_link_id FROM led)) each_version GROUP BY short_link_id),
       spans AS MATERIALIZED (SELECT d.partner, d.short_link_id,
           CASE WHEN d.version = 1 THEN '-infinity'::timestamptz ELSE v.created_at END AS a, coalesce(n.created_at, 'infinity'::timestamptz) AS b
         FROM led d JOIN links k ON k.short_link_id = d.short_link_id AND k.is_mixed
         JOIN short_link_changes v ON v.short_link_id = d.short_link_id AND v.version = d.version
         LEFT JOIN short_link_changes n ON n.short_link_id = d.short_link_id AND n.version = d.version + 1),
       changed AS MATERIALIZED (SELECT DISTINCT date_trunc('hour', each.at) AS hour FROM spans s CROSS JOIN LATERAL (VALUES (s.a), (s.b)) AS each (at)
         WHERE isfinite(each.at) AND each.at > now() - interval '${SINGLE_DAYS} days' ORDER BY hour DESC LIMIT ${SINGLE_HOURS_MAX}),
       clicked AS (
         SELECT d.partner, c.clicks FROM (SELECT DISTINCT partner, short_link_id FROM led) d JOIN links k ON k.short_link_id = d.short_link_id AND NOT k.is_mixed
           JOIN click_rollups c ON c.short_link_id = d.short_link_id AND c.visit = 'person'
         UNION ALL
         SELECT s.partner, c.clicks FROM spans s JOIN click_hours c ON c.short_link_id = s.short_link_id AND c.visit = 'person' AND c.variant <= 0
           AND c.hour >= s.a - interval '30 minutes' AND c.hour < s.b - interval '30 minutes' AND c.hour NOT IN (SELECT hour FROM changed)
         UNION ALL
         SELECT s.partner, 1 FROM changed x JOIN clicks c ON c.at >= x.hour AND c.at < x.hour + interval '1 hour' AND c.visit = 'person' AND coalesce(c.variant, -1) <= 0
           JOIN spans s ON s.short_link_id = c.short_link_id AND c.at >= s.a AND c.at < s.b)
     SELECT partner AS id, sum(clicks)::int AS clicks FROM clicked GROUP BY partner`,
    [siteId, wantedHosts(used)],
  )
  return new Map(found.map(({ id, clicks }) => [id, clicks]))
}
