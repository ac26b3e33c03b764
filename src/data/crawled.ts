import type { Said, Told } from '../words/index.ts'
import { type Database, rows } from './database.ts'
import { NOW, remove, selectOne, update } from './plain.ts'
import { crawled } from './tables/index.ts'

/** An address of a site that is being fetched. */
export interface CrawledRow {
  readonly address: string
  readonly state: 'waiting' | 'fetched' | 'refused'
  readonly mediaType: string | null
  readonly reason: Said | null
  readonly size: number
}

/** Notes addresses down; those that are known already stay as they are. */
export async function noteAddresses(db: Database, crawl: string, addresses: readonly string[]): Promise<void> {
  await rows(db, `INSERT INTO crawled (crawl, address, state) SELECT $1, unnest($2::text[]), 'waiting' ON CONFLICT DO NOTHING`, [
    crawl,
    addresses,
  ])
}

export function listCrawled(db: Database, crawl: string): Promise<CrawledRow[]> {
  return rows<CrawledRow>(
    db,
    `SELECT address, state, media_type AS "mediaType", reason, coalesce(length(bytes), 0) AS size FROM crawled WHERE crawl = $1 ORDER BY address COLLATE "C"`,
    [crawl],
  )
}

export async function keepFetched(
  db: Database,
  crawl: string,
  address: string,
  found: { readonly bytes: Buffer; readonly mediaType: string } | { readonly reason: Told },
): Promise<void> {
  const state = 'reason' in found ? 'refused' : 'fetched'
  await update(db, crawled, { state, ...found, fetchedAt: NOW }, { crawl, address })
}

export async function fetchedBytes(db: Database, crawl: string, address: string): Promise<Buffer | null> {
  return (await selectOne(db, crawled, ['bytes'], { crawl, address }))?.bytes ?? null
}

export async function dropCrawl(db: Database, crawl: string): Promise<void> {
  await remove(db, crawled, { crawl })
}

/** Fetched sites nobody came back for. */
export async function dropOldCrawls(db: Database): Promise<void> {
  await rows(
    db,
    `DELETE FROM crawled WHERE crawl IN (SELECT crawl FROM crawled GROUP BY crawl HAVING max(coalesce(fetched_at, now())) < now() - interval '2 days')`,
  )
}
