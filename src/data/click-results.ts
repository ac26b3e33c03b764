import { type Database, rows } from './database.ts'

/** Clicks of one link a day and sort of visit. All of it is read from roll-ups: a year of a busy link costs what one of a quiet link does. */
export const clicksByDay = (db: Database, id: string, from: string): Promise<{ day: string; visit: string; clicks: number }[]> =>
  rows(
    db,
    'SELECT day::text AS day, visit, clicks::int AS clicks FROM click_rollups WHERE short_link_id = $1 AND day >= $2::date ORDER BY day',
    [id, from],
  )

export const clicksByHour = (db: Database, id: string, since: Date): Promise<{ hour: Date; visit: string; clicks: number }[]> =>
  rows(
    db,
    'SELECT hour, visit, sum(clicks)::int AS clicks FROM click_hours WHERE short_link_id = $1 AND hour >= $2 GROUP BY hour, visit ORDER BY hour',
    [id, since],
  )

/** Clicks of people by the hour of the day, UTC. */
export const clicksByHourOfDay = (db: Database, id: string, since: Date): Promise<{ hour: number; clicks: number }[]> =>
  rows(
    db,
    `SELECT extract(hour FROM hour AT TIME ZONE 'UTC')::int AS hour, sum(clicks)::int AS clicks FROM click_hours
     WHERE short_link_id = $1 AND hour >= $2 AND visit = 'person' GROUP BY 1`,
    [id, since],
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
export const clicksByVariant = (db: Database, id: string, since: Date): Promise<{ variant: number; clicks: number }[]> =>
  rows(
    db,
    `SELECT variant, sum(clicks)::int AS clicks FROM click_hours
     WHERE short_link_id = $1 AND hour >= $2 AND visit = 'person' AND variant >= 0 GROUP BY variant`,
    [id, since],
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
