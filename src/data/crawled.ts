import { type Database, rows } from './database.ts'

/** An address of a site that is being fetched. */
export interface CrawledRow {
  readonly address: string
  readonly state: 'waiting' | 'fetched' | 'refused'
  readonly mediaType: string | null
  readonly reason: string | null
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
  found: { readonly bytes: Buffer; readonly mediaType: string } | { readonly reason: string },
): Promise<void> {
  if ('reason' in found)
    await rows(db, `UPDATE crawled SET state = 'refused', reason = $3, fetched_at = now() WHERE crawl = $1 AND address = $2`, [
      crawl,
      address,
      found.reason,
    ])
  else
    await rows(
      db,
      `UPDATE crawled SET state = 'fetched', bytes = $3, media_type = $4, fetched_at = now() WHERE crawl = $1 AND address = $2`,
      [crawl, address, found.bytes, found.mediaType],
    )
}

export async function fetchedBytes(db: Database, crawl: string, address: string): Promise<Buffer | null> {
  const [row] = await rows<{ bytes: Buffer | null }>(db, 'SELECT bytes FROM crawled WHERE crawl = $1 AND address = $2', [crawl, address])
  return row?.bytes ?? null
}

export async function dropCrawl(db: Database, crawl: string): Promise<void> {
  await rows(db, 'DELETE FROM crawled WHERE crawl = $1', [crawl])
}

/** Fetched sites nobody came back for. */
export async function dropOldCrawls(db: Database): Promise<void> {
  await rows(
    db,
    `DELETE FROM crawled WHERE crawl IN (SELECT crawl FROM crawled GROUP BY crawl HAVING max(coalesce(fetched_at, now())) < now() - interval '2 days')`,
  )
}
