import { Transaction } from 'sequelize'
import type { ShortLinkTarget } from '../core/routing/index.ts'
import { type Database, rows } from './database.ts'
import { partHtml } from './parts.ts'
import { select } from './plain.ts'
import { blobs, type PageKind } from './tables/index.ts'

/** Which rows of a kind are wanted: some by their ids, or all of them, a stretch at a time in the order of ids. */
export type Wanted = { readonly ids: readonly string[] } | { readonly after: string | null; readonly limit: number }

/** What visitors get at a page's address, or in place of a shared part. Of one that is not live, only its id comes. */
export interface DeliveredPage {
  readonly id: string
  readonly kind: PageKind
  readonly path: string
  readonly title: string
  /** Null where it is not live. */
  readonly hash: string | null
  readonly encoding: string
  readonly tags: readonly string[]
  readonly writtenFor: string | null
  /** Of a shared part: its markup. */
  readonly html: string | null
}

export interface DeliveredFile {
  readonly id: string
  readonly path: string
  readonly hash: string | null
  readonly mediaType: string
  readonly bytes: number
}

export interface DeliveredShortLink extends ShortLinkTarget {
  /** Where it answers; empty for one that was taken away. */
  readonly slugs: readonly { readonly hostId: string; readonly slug: string }[]
}

/** Reads as of one moment. */
export const asOfNow = <T>(db: Database, work: (transaction: Transaction) => Promise<T>): Promise<T> =>
  db.sequelize.transaction({ isolationLevel: Transaction.ISOLATION_LEVELS.REPEATABLE_READ, readOnly: true }, work)

/** The condition and its values, after `siteId` as $1. */
function wantedSql(wanted: Wanted, id: string): { where: string; bind: unknown[]; order: string } {
  if ('ids' in wanted) return { where: `${id} = ANY($2::uuid[])`, bind: [wanted.ids], order: '' }
  return { where: `($2::uuid IS NULL OR ${id} > $2)`, bind: [wanted.after, wanted.limit], order: `ORDER BY ${id} LIMIT $3` }
}

export async function deliveredPages(db: Database, siteId: string, wanted: Wanted, transaction: Transaction): Promise<DeliveredPage[]> {
  const { where, bind, order } = wantedSql(wanted, 'p.id')
  const found = await rows<Omit<DeliveredPage, 'html'> & { partBytes: Buffer | null }>(
    db,
    `SELECT p.id, p.kind, p.path, p.title, p.live_hash AS hash, coalesce(p.live_encoding, p.encoding) AS encoding, coalesce(b.tags, '{}') AS tags,
       b.written_for AS "writtenFor", CASE WHEN p.kind <> 'page' THEN b.bytes END AS "partBytes"
     FROM pages p LEFT JOIN blobs b ON b.hash = p.live_hash WHERE p.site_id = $1 AND ${where} ${order}`,
    [siteId, ...bind],
    transaction,
  )
  return found.map(({ partBytes, ...page }) => ({
    ...page,
    html: partBytes === null ? null : partHtml(page.kind, partBytes, page.encoding),
  }))
}

export function deliveredFiles(db: Database, siteId: string, wanted: Wanted, transaction: Transaction): Promise<DeliveredFile[]> {
  const { where, bind, order } = wantedSql(wanted, 'f.id')
  return rows(
    db,
    `SELECT f.id, f.path, f.live_hash AS hash, f.media_type AS "mediaType", coalesce(octet_length(b.bytes), 0) AS bytes
     FROM files f LEFT JOIN blobs b ON b.hash = f.live_hash WHERE f.site_id = $1 AND ${where} ${order}`,
    [siteId, ...bind],
    transaction,
  )
}

export async function deliveredShortLinks(
  db: Database,
  siteId: string,
  wanted: Wanted,
  transaction: Transaction,
): Promise<DeliveredShortLink[]> {
  const { where, bind, order } = wantedSql(wanted, 'l.id')
  const found = await rows<ShortLinkTarget & { hosts: string[] | null; slugs: string[] | null }>(
    db,
    `SELECT l.id, l.destination, l.status, l.course, l.down_at IS NOT NULL AS "isDown", l.full_at IS NOT NULL AS "isFull", s.hosts, s.slugs FROM short_links l LEFT JOIN LATERAL (
       SELECT array_agg(host_id::text) AS hosts, array_agg(slug) AS slugs FROM short_link_slugs WHERE short_link_id = l.id) s ON true
     WHERE l.site_id = $1 AND ${where} ${order}`,
    [siteId, ...bind],
    transaction,
  )
  return found.map(({ hosts, slugs, ...target }) => ({
    ...target,
    slugs: (slugs ?? []).map((slug, i) => ({ hostId: hosts?.[i] ?? '', slug })),
  }))
}

/** Destinations that are not accepted, by the page or shared part they stand on. @param pageIds - null for all of the site */
export async function deliveredWaiting(
  db: Database,
  siteId: string,
  pageIds: readonly string[] | null,
  transaction: Transaction,
): Promise<{ pageId: string; isShared: boolean; addresses: string[] }[]> {
  return rows(
    db,
    `SELECT p.id AS "pageId", p.kind <> 'page' AS "isShared", array_agg(w.address ORDER BY w.address) AS addresses
     FROM waiting_links w JOIN pages p ON p.id = w.page_id
     WHERE w.site_id = $1 AND w.state <> 'accepted' AND ($2::uuid[] IS NULL OR p.id = ANY($2::uuid[])) GROUP BY p.id`,
    [siteId, pageIds],
    transaction,
  )
}

/** How large contents are. */
export function contentSizes(db: Database, hashes: readonly string[]): Promise<{ hash: string; bytes: number }[]> {
  return rows(db, 'SELECT hash, octet_length(bytes) AS bytes FROM blobs WHERE hash = ANY($1::text[])', [hashes])
}

/** Contents by hash; those that are gone are left out. */
export const readBlobs = (db: Database, hashes: readonly string[]): Promise<{ hash: string; bytes: Buffer }[]> =>
  select(db, blobs, ['hash', 'bytes'], { hash: hashes })
