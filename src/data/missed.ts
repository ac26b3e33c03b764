import type { PoolClient } from 'pg'
import { tellingEnding } from '../core/routing/index.ts'
import { type Database, rows, type Transaction } from './database.ts'

/** How often an address was asked for in vain on a day. */
export interface MissedCount {
  readonly siteId: string
  readonly host: string
  readonly path: string
  readonly day: string
  readonly people: number
  readonly others: number
  readonly firstAt: string
  readonly lastAt: string
  readonly referrers: ReadonlyMap<string, number>
}
export interface MissedNoise {
  readonly siteId: string
  readonly day: string
  readonly kind: string
  readonly visits: number
}

/** Most addresses that are kept of a site by name; what else is missed is counted as "overflow". */
export const MISSED_MAX = 100_000

/** Adds counts, in the transaction that takes them from the log. */
export async function countMissed(
  client: PoolClient,
  { paths: given, noise }: { readonly paths: readonly MissedCount[]; readonly noise: readonly MissedNoise[] },
): Promise<void> {
  const all = [...noise]
  const strange = await neverServed(client, given)
  const paths = given.filter((each) => !strange.has(kindOf(each)))
  for (const each of given)
    if (strange.has(kindOf(each))) all.push({ siteId: each.siteId, day: each.day, kind: 'scanner', visits: each.people + each.others })
  if (paths.length > 0) {
    const counts = paths.map(({ referrers, ...each }) => ({
      ...each,
      referrers: [...referrers].map(([referrer, visits]) => ({ referrer, visits })),
    }))
    const { rows: left } = await client.query<{ site_id: string; day: string; visits: string }>(
      `WITH given AS (
         SELECT x.* FROM jsonb_to_recordset($1::jsonb) AS x("siteId" uuid, host text, path text, day date, people bigint, others bigint,
           "firstAt" timestamptz, "lastAt" timestamptz, referrers jsonb) JOIN sites s ON s.id = x."siteId"),
       full_sites AS (SELECT s.id FROM (SELECT DISTINCT "siteId" AS id FROM given) s
         WHERE (SELECT count(*) FROM (SELECT 1 FROM missed WHERE site_id = s.id LIMIT ${MISSED_MAX}) counted) >= ${MISSED_MAX}),
       taken AS (SELECT g.* FROM given g WHERE g."siteId" NOT IN (SELECT id FROM full_sites)
         OR EXISTS (SELECT 1 FROM missed m WHERE m.site_id = g."siteId" AND m.host = g.host AND md5(m.path) = md5(g.path))),
       kept AS (
         INSERT INTO missed (site_id, host, path, people, others, first_at, last_at)
         SELECT "siteId", host, path, sum(people), sum(others), min("firstAt"), max("lastAt") FROM taken GROUP BY "siteId", host, path
         ON CONFLICT (site_id, host, md5(path)) DO UPDATE SET people = missed.people + excluded.people, others = missed.others + excluded.others,
           last_at = greatest(missed.last_at, excluded.last_at)
         RETURNING id, site_id, host, path),
       days AS (
         INSERT INTO missed_days (missed_id, day, people, others)
         SELECT k.id, t.day, sum(t.people), sum(t.others) FROM kept k JOIN taken t ON t."siteId" = k.site_id AND t.host = k.host AND t.path = k.path GROUP BY k.id, t.day
         ON CONFLICT (missed_id, day) DO UPDATE SET people = missed_days.people + excluded.people, others = missed_days.others + excluded.others),
       led AS (
         INSERT INTO missed_referrers (missed_id, referrer, visits)
         SELECT k.id, r.referrer, sum(r.visits) FROM kept k JOIN taken t ON t."siteId" = k.site_id AND t.host = k.host AND t.path = k.path,
           jsonb_to_recordset(t.referrers) AS r(referrer text, visits bigint) GROUP BY k.id, r.referrer
         ON CONFLICT (missed_id, referrer) DO UPDATE SET visits = missed_referrers.visits + excluded.visits)
       SELECT "siteId" AS site_id, day::text AS day, sum(people + others) AS visits FROM given g
       WHERE NOT EXISTS (SELECT 1 FROM taken t WHERE t."siteId" = g."siteId" AND t.host = g.host AND t.path = g.path) GROUP BY "siteId", day`,
      [JSON.stringify(counts)],
    )
    for (const { site_id, day, visits } of left) all.push({ siteId: site_id, day, kind: 'overflow', visits: Number(visits) })
  }
  if (all.length === 0) return
  await client.query(
    `INSERT INTO missed_noise (site_id, day, kind, visits)
     SELECT x."siteId", x.day, x.kind, sum(x.visits) FROM jsonb_to_recordset($1::jsonb) AS x("siteId" uuid, day date, kind text, visits bigint)
     JOIN sites s ON s.id = x."siteId" GROUP BY x."siteId", x.day, x.kind
     ON CONFLICT (site_id, day, kind) DO UPDATE SET visits = missed_noise.visits + excluded.visits`,
    [JSON.stringify(all)],
  )
}

const kindOf = ({ siteId, path }: Pick<MissedCount, 'siteId' | 'path'>): string => `${siteId} ${tellingEnding(path)}`

/** Kinds of file, by site and ending, that no page, file or redirect of the site ever had. */
async function neverServed(client: PoolClient, counts: readonly MissedCount[]): Promise<ReadonlySet<string>> {
  const asked = new Map(
    counts
      .map((each) => [kindOf(each), { siteId: each.siteId, ending: tellingEnding(each.path) }] as const)
      .filter(([, { ending }]) => ending !== ''),
  )
  if (asked.size === 0) return new Set()
  const { rows: strange } = await client.query<{ kind: string }>(
    `SELECT x."siteId"::text || ' ' || x.ending AS kind FROM jsonb_to_recordset($1::jsonb) AS x("siteId" uuid, ending text)
     WHERE NOT EXISTS (SELECT 1 FROM pages WHERE site_id = x."siteId" AND path_ending(path) = x.ending)
       AND NOT EXISTS (SELECT 1 FROM files WHERE site_id = x."siteId" AND path_ending(path) = x.ending)
       AND NOT EXISTS (SELECT 1 FROM redirects WHERE site_id = x."siteId" AND path_ending(source) = x.ending)`,
    [JSON.stringify([...asked.values()])],
  )
  return new Set(strange.map(({ kind }) => kind))
}

/** An address that was asked for in vain. */
export interface MissedRow {
  readonly id: string
  readonly host: string
  readonly path: string
  readonly people: number
  readonly others: number
  /** By people, in the last seven days, and in the seven before. */
  readonly week: number
  readonly weekBefore: number
  readonly firstAt: Date
  readonly lastAt: Date
  readonly referrers: readonly { readonly referrer: string; readonly visits: number }[]
}

/** Those that people asked for most in the last 30 days come first. */
export function listMissed(
  db: Database,
  { siteId, search, isIgnored, limit, offset }: { siteId: string; search: string; isIgnored: boolean; limit: number; offset: number },
): Promise<MissedRow[]> {
  return rows(
    db,
    `SELECT m.id, m.host, m.path, m.people::int, m.others::int, m.first_at AS "firstAt", m.last_at AS "lastAt",
       coalesce(d.week, 0)::int AS week, coalesce(d."weekBefore", 0)::int AS "weekBefore",
       coalesce((SELECT jsonb_agg(r) FROM (SELECT referrer, visits::int FROM missed_referrers r WHERE r.missed_id = m.id ORDER BY visits DESC LIMIT 5) r), '[]') AS referrers
     FROM (SELECT * FROM missed WHERE site_id = $1 AND people > 0 AND (ignored_at IS NOT NULL) = $2 AND ($3 = '' OR strpos(lower(path), lower($3)) > 0)
       ORDER BY people DESC, last_at DESC, id LIMIT $4 OFFSET $5) m
     LEFT JOIN LATERAL (SELECT sum(people) FILTER (WHERE day > current_date - 7) AS week, sum(people) FILTER (WHERE day <= current_date - 7) AS "weekBefore"
       FROM missed_days WHERE missed_id = m.id AND day > current_date - 14) d ON true
     ORDER BY m.people DESC, m.last_at DESC, m.id`,
    [siteId, isIgnored, search, limit, offset],
  )
}

/** What scanners, icons and probes asked for in the last 30 days, by kind. */
export function missedNoise(db: Database, siteId: string): Promise<{ kind: string; visits: number }[]> {
  return rows(
    db,
    'SELECT kind, sum(visits)::int AS visits FROM missed_noise WHERE site_id = $1 AND day > current_date - 30 GROUP BY kind ORDER BY visits DESC',
    [siteId],
  )
}

/** @returns how many there are of these */
export async function setMissedIgnored(
  db: Database,
  siteId: string,
  ids: readonly string[],
  isIgnored: boolean,
  transaction: Transaction,
): Promise<number> {
  const set = await rows(
    db,
    'UPDATE missed SET ignored_at = CASE WHEN $3 THEN now() END WHERE site_id = $1 AND id = ANY($2::uuid[]) RETURNING id',
    [siteId, ids, isIgnored],
    transaction,
  )
  return set.length
}

/** Lets addresses go that nobody has asked for in a long time, and those that one visitor asked for once. */
export async function dropOldMissed(db: Database, days: number): Promise<void> {
  await rows(
    db,
    `DELETE FROM missed WHERE last_at < now() - $1 * interval '1 day' OR (people + others <= 1 AND last_at < now() - interval '30 days')`,
    [days],
  )
  await rows(db, `DELETE FROM missed_days WHERE day < current_date - 60`)
}
