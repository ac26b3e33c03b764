import { Readable } from 'node:stream'
import { pipeline } from 'node:stream/promises'
import { from as copyFrom } from 'pg-copy-streams'
import { CLICK_COLUMNS, type Source } from '../core/clicks/index.ts'
import { DAY_MS } from '../core/time.ts'
import { countSeen, type SeenLink, type SeenPage, type SeenVisitor } from './counted-pages.ts'
import type { Database } from './database.ts'
import { countMissed, type MissedCount, type MissedNoise } from './missed.ts'

/** A stretch of one delivery node's log, cut at line ends. */
export interface ClickBatch {
  readonly node: string
  readonly segment: string
  /** Bytes of the segment that this stretch starts and ends at. */
  readonly from: number
  readonly to: number
  /** How many clicks, and their lines as they are copied: pieces of text, each with its line ends. */
  readonly clicks: number
  readonly copied: readonly string[]
  /** Days of the lines, as "2026-11-24", UTC. */
  readonly days: readonly string[]
  /** Addresses that nobody answered. */
  readonly missed: { readonly paths: readonly MissedCount[]; readonly noise: readonly MissedNoise[] }
  /** Pages that were looked at, their links that were followed, and by whom. */
  readonly seen: { readonly pages: readonly SeenPage[]; readonly links: readonly SeenLink[]; readonly visitors: readonly SeenVisitor[] }
  /** Clicks by "short link, day, visit". */
  readonly rollups: readonly { readonly shortLinkId: string; readonly day: string; readonly visit: string; readonly clicks: number }[]
  /** Clicks by "short link, hour, visit, destination of a split"; hours as "2026-11-24T07", UTC; -1 where no split decided. */
  readonly hours: readonly {
    readonly shortLinkId: string
    readonly hour: string
    readonly visit: string
    readonly variant: number
    readonly clicks: number
  }[]
  /** Clicks of people by where they came from: "" where nothing was said. */
  readonly sources: readonly {
    readonly shortLinkId: string
    readonly day: string
    readonly kind: Source
    readonly value: string
    readonly clicks: number
  }[]
}

/** Any fixed number: only one loader makes partitions at a time. */
const PARTITION_LOCK = 7_062_402

/** How far a segment has been loaded, in bytes. */
export async function loadedBytes(db: Database, node: string, segment: string): Promise<number> {
  const { rows } = await db.pool.query<{ loaded_bytes: string }>('SELECT loaded_bytes FROM click_loads WHERE node = $1 AND segment = $2', [
    node,
    segment,
  ])
  return Number(rows[0]?.loaded_bytes ?? 0)
}

/**
 * Loads a stretch of the log, its roll-ups and how far it got in one transaction, so that no crash loses or doubles a click.
 * @returns false when somebody else has loaded from there already
 */
export async function loadClicks(db: Database, batch: ClickBatch): Promise<boolean> {
  await makePartitions(db, batch.days)
  const client = await db.pool.connect()
  let isBroken = false
  try {
    await client.query('BEGIN')
    await client.query('SELECT pg_advisory_xact_lock(hashtext($1))', [`${batch.node}/${batch.segment}`])
    const { rows } = await client.query<{ loaded_bytes: string }>('SELECT loaded_bytes FROM click_loads WHERE node = $1 AND segment = $2', [
      batch.node,
      batch.segment,
    ])
    if (Number(rows[0]?.loaded_bytes ?? 0) !== batch.from) {
      await client.query('ROLLBACK')
      return false
    }
    const copy = client.query(copyFrom(`COPY clicks (${CLICK_COLUMNS.join(', ')}) FROM STDIN`))
    await pipeline(Readable.from(batch.copied), copy)
    const { rollups, hours, sources } = batch
    // As columns: to read them is half of the work where they come as JSON.
    await client.query(
      `INSERT INTO click_rollups (short_link_id, day, visit, clicks) SELECT * FROM unnest($1::uuid[], $2::date[], $3::text[], $4::bigint[])
       ON CONFLICT (short_link_id, day, visit) DO UPDATE SET clicks = click_rollups.clicks + excluded.clicks`,
      [
        rollups.map((each) => each.shortLinkId),
        rollups.map((each) => each.day),
        rollups.map((each) => each.visit),
        rollups.map((each) => each.clicks),
      ],
    )
    await client.query(
      `INSERT INTO click_hours (short_link_id, hour, visit, variant, clicks)
       SELECT id, (hour || ':00:00Z')::timestamptz, visit, variant, clicks
       FROM unnest($1::uuid[], $2::text[], $3::text[], $4::smallint[], $5::bigint[]) AS h (id, hour, visit, variant, clicks)
       ON CONFLICT (short_link_id, hour, visit, variant) DO UPDATE SET clicks = click_hours.clicks + excluded.clicks`,
      [
        hours.map((each) => each.shortLinkId),
        hours.map((each) => each.hour),
        hours.map((each) => each.visit),
        hours.map((each) => each.variant),
        hours.map((each) => each.clicks),
      ],
    )
    await client.query(
      `INSERT INTO click_sources (short_link_id, day, kind, value, clicks) SELECT * FROM unnest($1::uuid[], $2::date[], $3::text[], $4::text[], $5::bigint[])
       ON CONFLICT (short_link_id, day, kind, value) DO UPDATE SET clicks = click_sources.clicks + excluded.clicks`,
      [
        sources.map((each) => each.shortLinkId),
        sources.map((each) => each.day),
        sources.map((each) => each.kind),
        sources.map((each) => each.value),
        sources.map((each) => each.clicks),
      ],
    )
    await countMissed(client, batch.missed)
    await countSeen(client, batch.seen)
    await client.query(
      'INSERT INTO click_days (day, loaded_at) SELECT d, clock_timestamp() FROM unnest($1::date[]) d ON CONFLICT (day) DO UPDATE SET loaded_at = clock_timestamp()',
      [batch.days],
    )
    await client.query(
      'INSERT INTO click_loads (node, segment, loaded_bytes) VALUES ($1, $2, $3) ON CONFLICT (node, segment) DO UPDATE SET loaded_bytes = $3',
      [batch.node, batch.segment, batch.to],
    )
    await client.query('COMMIT')
    return true
  } catch (error) {
    // A day whose clicks were given up has no partition any more; it is made again when it is tried again.
    for (const day of batch.days) made.delete(`${db.url} ${day}`)
    isBroken = true // whatever the transaction had done goes with the connection
    throw error
  } finally {
    client.release(isBroken)
  }
}

/** Forgets a segment whose file is gone. */
export async function forgetSegment(db: Database, node: string, segment: string): Promise<void> {
  await db.pool.query('DELETE FROM click_loads WHERE node = $1 AND segment = $2', [node, segment])
}

const made = new Set<string>()

async function makePartitions(db: Database, days: readonly string[]): Promise<void> {
  for (const day of days) {
    const key = `${db.url} ${day}`
    if (made.has(key)) continue
    const next = new Date(Date.parse(`${day}T00:00:00Z`) + DAY_MS).toISOString().slice(0, 10)
    const client = await db.pool.connect()
    try {
      await client.query('SELECT pg_advisory_lock($1)', [PARTITION_LOCK])
      await client.query(
        `CREATE TABLE IF NOT EXISTS clicks_${day.replaceAll('-', '')} PARTITION OF clicks FOR VALUES FROM ('${day} 00:00Z') TO ('${next} 00:00Z')`,
      )
      made.add(key)
    } finally {
      await client.query('SELECT pg_advisory_unlock($1)', [PARTITION_LOCK]).catch(() => {})
      client.release()
    }
  }
}
