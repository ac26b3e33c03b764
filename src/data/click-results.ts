import { type Database, rows } from './database.ts'

/** Days from a day on, as a zone has them: hours of clicks are kept in UTC, and a day begins with the hour that its midnight falls into. */
export interface Stretch {
  readonly from: string
  /** IANA name. */
  readonly zone: string
}

/** The moment at which a stretch begins. */
export async function beginOf(db: Database, { from, zone }: Stretch): Promise<Date> {
  const [found] = await rows<{ at: Date }>(db, 'SELECT $1::date::timestamp AT TIME ZONE $2 AS at', [from, zone])
  return found?.at ?? new Date(from)
}

/** Clicks of one link a day and sort of visit. All of it is read from roll-ups: a year of a busy link costs what one of a quiet link does. */
export const clicksByDay = (db: Database, id: string, { from, zone }: Stretch): Promise<{ day: string; visit: string; clicks: number }[]> =>
  rows(
    db,
    `SELECT (hour AT TIME ZONE $3)::date::text AS day, visit, sum(clicks)::int AS clicks FROM click_hours
     WHERE short_link_id = $1 AND hour >= ($2::date::timestamp AT TIME ZONE $3) GROUP BY 1, 2 ORDER BY 1`,
    [id, from, zone],
  )

/** Different people, counted a day at a time (UTC) and added up: who comes on two days is two. */
export async function visitorsSince(db: Database, id: string, from: string): Promise<number> {
  const [found] = await rows<{ visitors: number }>(
    db,
    'SELECT coalesce(sum(visitors), 0)::int AS visitors FROM click_visitors WHERE short_link_id = $1 AND day >= $2::date',
    [id, from],
  )
  return found?.visitors ?? 0
}

export const clicksByHour = (db: Database, id: string, since: Date): Promise<{ hour: Date; visit: string; clicks: number }[]> =>
  rows(
    db,
    'SELECT hour, visit, sum(clicks)::int AS clicks FROM click_hours WHERE short_link_id = $1 AND hour >= $2 GROUP BY hour, visit ORDER BY hour',
    [id, since],
  )

/** Clicks of people by the hour of the day. */
export const clicksByHourOfDay = (db: Database, id: string, { from, zone }: Stretch): Promise<{ hour: number; clicks: number }[]> =>
  rows(
    db,
    `SELECT extract(hour FROM hour AT TIME ZONE $3)::int AS hour, sum(clicks)::int AS clicks FROM click_hours
     WHERE short_link_id = $1 AND hour >= ($2::date::timestamp AT TIME ZONE $3) AND visit = 'person' GROUP BY 1`,
    [id, from, zone],
  )

/** Where people came from, the most of each kind first. */
export const clicksBySource = (
  db: Database,
  id: string,
  from: string,
  most: number,
): Promise<{ kind: string; value: string; clicks: number }[]> =>
  rows(
    db,
    `SELECT kind, value, clicks FROM (
       SELECT kind, value, sum(clicks)::int AS clicks, row_number() OVER (PARTITION BY kind ORDER BY sum(clicks) DESC, value) AS place
       FROM click_sources WHERE short_link_id = $1 AND day >= $2::date GROUP BY kind, value) ranked WHERE place <= $3 ORDER BY clicks DESC, value`,
    [id, from, most],
  )

/** Clicks of people on each destination of a split. */
export const clicksByVariant = (db: Database, id: string, { from, zone }: Stretch): Promise<{ variant: number; clicks: number }[]> =>
  rows(
    db,
    `SELECT variant, sum(clicks)::int AS clicks FROM click_hours
     WHERE short_link_id = $1 AND hour >= ($2::date::timestamp AT TIME ZONE $3) AND visit = 'person' AND variant >= 0 GROUP BY variant`,
    [id, from, zone],
  )

/** Orders that partners reported for these sub-IDs since a day. */
export const ordersOfSubs = (
  db: Database,
  siteId: string,
  subs: readonly string[],
  from: string,
): Promise<{ sub: string; orders: number }[]> =>
  rows(
    db,
    `SELECT sub, count(*)::int AS orders FROM earnings WHERE site_id = $1 AND sub = ANY($2::text[]) AND day >= $3::date AND state <> 'reversed' GROUP BY sub`,
    [siteId, subs, from],
  )

/** Sub-IDs that stand in these destinations. */
export const subsOfDestinations = (
  db: Database,
  siteId: string,
  destinations: readonly string[],
): Promise<{ sub: string; destination: string }[]> =>
  rows(
    db,
    'SELECT sub, destination FROM partner_subs WHERE site_id = $1 AND md5(destination) IN (SELECT md5(d) FROM unnest($2::text[]) d) AND destination = ANY($2::text[])',
    [siteId, destinations],
  )
