import { DAY_MS } from '../core/time.ts'
import { type Database, inTransaction, rows, type Transaction } from './database.ts'
import { remove, select, selectOne, update } from './plain.ts'
import { clickDays, seenVisitors, sites } from './tables/index.ts'

/** What a site counts, whom it takes for a bot, and how long it keeps single clicks. */
export interface CountingRow {
  readonly countsPages: boolean
  /** 0: for as long as the site is there. */
  readonly keptDays: number
  readonly botRule: unknown
}

export async function readCounting(db: Database, siteId: string): Promise<CountingRow | null> {
  const found = await selectOne(db, sites, ['countsPages', 'clicksKeptDays', 'botRule'], { id: siteId })
  if (found === null) return null
  const { clicksKeptDays, ...rest } = found
  return { ...rest, keptDays: clicksKeptDays }
}

export const writeCounting = (
  db: Database,
  siteId: string,
  { countsPages, keptDays, botRule }: CountingRow,
  transaction: Transaction,
): Promise<unknown> => update(db, sites, { countsPages, clicksKeptDays: keptDays, botRule }, { id: siteId }, transaction)

/** Days of which single clicks are there, the newest first. */
export const keptDays = async (db: Database): Promise<string[]> =>
  (
    await rows<{ day: string }>(
      db,
      `SELECT to_char(to_date(right(c.relname, 8), 'YYYYMMDD'), 'YYYY-MM-DD') AS day FROM pg_inherits i JOIN pg_class c ON c.oid = i.inhrelid
       WHERE i.inhparent = 'clicks'::regclass ORDER BY 1 DESC`,
    )
  ).map(({ day }) => day)

/** Days to which clicks came since they were judged. */
export const daysToJudge = async (db: Database): Promise<string[]> =>
  (
    await rows<{ day: string }>(
      db,
      'SELECT day::text AS day FROM click_days WHERE judged_at IS NULL OR judged_at < loaded_at ORDER BY day DESC LIMIT 500',
    )
  ).map(({ day }) => day)

export const noteJudged = (db: Database, day: string, at: Date): Promise<unknown> => update(db, clickDays, { judgedAt: at }, { day })

/** What of a visitor's clicks no person does: more than so many. @see BotRule */
export interface JudgedBy {
  readonly perMinute: number
  readonly perDay: number
  /** Null where pages are not counted. */
  readonly unseenPerDay: number | null
}

/**
 * Takes visitors of a day for bots who did what no person does, and for people again who did not; what was counted follows in the
 * same statement, as differences, so that clicks which come meanwhile are counted as well. Nothing is lost: it can be done again by another rule.
 * @returns how many clicks changed sides
 */
export async function judgeDay(db: Database, siteId: string, day: string, by: JudgedBy): Promise<number> {
  const [found] = await rows<{ changed: number }>(
    db,
    `WITH links AS MATERIALIZED (SELECT id FROM short_links WHERE site_id = $1 UNION ALL SELECT id FROM redirects WHERE site_id = $1),
     mine AS MATERIALIZED (
       SELECT c.visitor, date_trunc('minute', c.at) AS minute FROM clicks c JOIN links l ON l.id = c.short_link_id
       WHERE c.at >= $2::date::timestamp AT TIME ZONE 'UTC' AND c.at < ($2::date + 1)::timestamp AT TIME ZONE 'UTC' AND c.visit IN ('person', 'rush')),
     rushed AS MATERIALIZED (
       SELECT visitor FROM mine GROUP BY visitor, minute HAVING count(*) > $3
       UNION SELECT visitor FROM mine GROUP BY visitor HAVING count(*) > $4
       UNION SELECT m.visitor FROM mine m WHERE $5::int IS NOT NULL
         AND NOT EXISTS (SELECT 1 FROM seen_visitors v WHERE v.day = $2::date AND v.visitor = m.visitor) GROUP BY m.visitor HAVING count(*) > $5),
     flipped AS (
       UPDATE clicks c SET visit = CASE c.visit WHEN 'person' THEN 'rush' ELSE 'person' END FROM links l
       WHERE l.id = c.short_link_id AND c.at >= $2::date::timestamp AT TIME ZONE 'UTC' AND c.at < ($2::date + 1)::timestamp AT TIME ZONE 'UTC'
         AND ((c.visit = 'person' AND c.visitor IN (SELECT visitor FROM rushed)) OR (c.visit = 'rush' AND c.visitor NOT IN (SELECT visitor FROM rushed)))
       RETURNING c.short_link_id, c.at, c.visit, c.device, c.language, c.referrer, c.variant),
     sides AS (
       SELECT short_link_id, date_trunc('hour', at) AS hour, coalesce(variant, -1) AS variant, side.visit, side.sign
       FROM flipped f CROSS JOIN LATERAL (VALUES (f.visit, 1), (CASE f.visit WHEN 'person' THEN 'rush' ELSE 'person' END, -1)) AS side (visit, sign)),
     days AS (
       INSERT INTO click_rollups (short_link_id, day, visit, clicks) SELECT short_link_id, $2::date, visit, sum(sign) FROM sides GROUP BY 1, 3
       ON CONFLICT (short_link_id, day, visit) DO UPDATE SET clicks = click_rollups.clicks + excluded.clicks),
     hours AS (
       INSERT INTO click_hours (short_link_id, hour, visit, variant, clicks) SELECT short_link_id, hour, visit, variant, sum(sign) FROM sides GROUP BY 1, 2, 3, 4
       ON CONFLICT (short_link_id, hour, visit, variant) DO UPDATE SET clicks = click_hours.clicks + excluded.clicks),
     sources AS (
       INSERT INTO click_sources (short_link_id, day, kind, value, clicks)
       SELECT f.short_link_id, $2::date, s.kind, s.value, sum(CASE f.visit WHEN 'person' THEN 1 ELSE -1 END) FROM flipped f
         CROSS JOIN LATERAL (VALUES ('referrer', coalesce(f.referrer, '')), ('device', f.device), ('language', coalesce(f.language, ''))) AS s (kind, value)
       GROUP BY 1, 3, 4
       ON CONFLICT (short_link_id, day, kind, value) DO UPDATE SET clicks = click_sources.clicks + excluded.clicks)
     SELECT count(*)::int AS changed FROM flipped`,
    [siteId, day, by.perMinute, by.perDay, by.unseenPerDay],
  )
  return found?.changed ?? 0
}

/** Counts the different people who followed each link on a day. */
export const countVisitors = (db: Database, day: string): Promise<unknown> =>
  rows(
    db,
    `INSERT INTO click_visitors (short_link_id, day, visitors)
     SELECT short_link_id, $1::date, count(DISTINCT visitor) FROM clicks
     WHERE at >= $1::date::timestamp AT TIME ZONE 'UTC' AND at < ($1::date + 1)::timestamp AT TIME ZONE 'UTC' AND visit = 'person' GROUP BY 1
     ON CONFLICT (short_link_id, day) DO UPDATE SET visitors = excluded.visitors`,
    [day],
  )

/** Single clicks go when their site no longer keeps them; what was counted of them stays. A day that nobody keeps goes as a whole. */
export async function dropOldClicks(db: Database, today: string): Promise<void> {
  const all = await select(db, sites, ['id', 'clicksKeptDays'], {})
  if (all.length === 0) return
  const ageOf = (day: string): number => Math.round((Date.parse(today) - Date.parse(day)) / DAY_MS)
  for (const day of await keptDays(db)) {
    const over = all.filter(({ clicksKeptDays: kept }) => kept > 0 && ageOf(day) > kept)
    if (over.length === 0) continue
    if (over.length === all.length) {
      await inTransaction(db, async (transaction) => {
        await rows(db, `DROP TABLE IF EXISTS clicks_${day.replaceAll('-', '')}`, [], transaction)
        await remove(db, seenVisitors, { day }, transaction)
      })
      continue
    }
    await rows(
      db,
      `DELETE FROM clicks c USING (SELECT id FROM short_links WHERE site_id = ANY($2::uuid[]) UNION ALL SELECT id FROM redirects WHERE site_id = ANY($2::uuid[])) l
       WHERE c.short_link_id = l.id AND c.at >= $1::date::timestamp AT TIME ZONE 'UTC' AND c.at < ($1::date + 1)::timestamp AT TIME ZONE 'UTC'`,
      [day, over.map(({ id }) => id)],
    )
  }
}
