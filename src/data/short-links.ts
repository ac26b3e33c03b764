import type { Transaction } from 'sequelize'
import { type Database, rows } from './database.ts'
import type { ShortLinkRow } from './models.ts'

export interface ListedShortLink extends ShortLinkRow {
  readonly slug: string
  readonly host: string
  readonly prefix: string
  readonly clicks: number
  readonly otherClicks: number
}

export interface ShortLinkFilter {
  readonly siteId: string
  readonly id?: string | undefined
  readonly slug?: string | undefined
  readonly search?: string | undefined
  /** "created at" and id of the last one seen, newest first. */
  readonly after?: { readonly at: string; readonly id: string } | undefined
  readonly limit: number
}

/** Short links, newest first, with the clicks of people. */
export async function listShortLinks(db: Database, filter: ShortLinkFilter): Promise<{ items: ListedShortLink[]; total: number }> {
  const bind: unknown[] = [filter.siteId]
  const where = ['l.site_id = $1', 's.is_main', 'h.removed_at IS NULL']
  const also = (sql: (n: string) => string, value: unknown): void => {
    bind.push(value)
    where.push(sql(`$${bind.length}`))
  }
  if (filter.id !== undefined) also((n) => `l.id = ${n}`, filter.id)
  if (filter.slug !== undefined) also((n) => `s.slug = ${n}`, filter.slug)
  for (const word of (filter.search ?? '').split(/\s+/).filter((each) => each !== '')) {
    also((n) => `(l.title ILIKE ${n} OR s.slug ILIKE ${n} OR l.destination ILIKE ${n})`, `%${word.replace(/[\\%_]/g, '\\$&')}%`)
  }
  const from = 'FROM short_links l JOIN short_link_slugs s ON s.short_link_id = l.id JOIN hosts h ON h.id = l.host_id'
  const [count] = await rows<{ total: number }>(db, `SELECT count(*)::int AS total ${from} WHERE ${where.join(' AND ')}`, bind)
  if (filter.after !== undefined) {
    bind.push(filter.after.at, filter.after.id)
    where.push(`(l.created_at, l.id) < ($${bind.length - 1}::timestamptz, $${bind.length}::uuid)`)
  }
  bind.push(filter.limit)
  const items = await rows<ListedShortLink>(
    db,
    `SELECT l.id, l.site_id AS "siteId", l.host_id AS "hostId", l.destination, l.title, l.status, l.version, l.created_at AS "createdAt", s.slug, h.host, h.prefix,
       (SELECT coalesce(sum(r.clicks), 0)::int FROM click_rollups r WHERE r.short_link_id = l.id AND r.visit = 'person') AS clicks,
       (SELECT coalesce(sum(r.clicks), 0)::int FROM click_rollups r WHERE r.short_link_id = l.id AND r.visit <> 'person') AS "otherClicks"
     ${from} WHERE ${where.join(' AND ')} ORDER BY l.created_at DESC, l.id DESC LIMIT $${bind.length}`,
    bind,
  )
  return { items, total: count?.total ?? 0 }
}

/** Takes a slug for a short link. @returns false when somebody else has it */
export async function takeSlug(
  db: Database,
  slug: { hostId: string; slug: string; shortLinkId: string },
  transaction: Transaction,
): Promise<boolean> {
  const taken = await rows(
    db,
    'INSERT INTO short_link_slugs (host_id, slug, short_link_id) VALUES ($1, $2, $3) ON CONFLICT DO NOTHING RETURNING slug',
    [slug.hostId, slug.slug, slug.shortLinkId],
    transaction,
  )
  return taken.length === 1
}

/** Takes a short link away: it keeps its history, and its slugs are free. The main one stands first. */
export async function withdrawShortLink(db: Database, siteId: string, id: string, transaction: Transaction): Promise<boolean> {
  const gone = await rows<{ slug: string }>(
    db,
    `WITH gone AS (DELETE FROM short_link_slugs s USING short_links l WHERE s.short_link_id = l.id AND l.id = $1 AND l.site_id = $2 RETURNING s.slug, s.is_main)
     UPDATE short_links SET removed_slugs = (SELECT array_agg(slug ORDER BY is_main DESC, slug) FROM gone), updated_at = now()
     WHERE id = $1 AND EXISTS (SELECT 1 FROM gone) RETURNING id`,
    [id, siteId],
    transaction,
  )
  return gone.length === 1
}

/** Brings a short link back with the slugs it had. @returns the slugs that somebody else took meanwhile; null when it is not gone */
export async function returnShortLink(
  db: Database,
  siteId: string,
  id: string,
  transaction: Transaction,
): Promise<{ slug: string; isTaken: boolean }[] | null> {
  const [link] = await rows<{ hostId: string; slugs: string[] }>(
    db,
    `UPDATE short_links SET removed_slugs = NULL FROM (SELECT removed_slugs FROM short_links WHERE id = $1 AND site_id = $2 FOR UPDATE) AS before
     WHERE short_links.id = $1 AND before.removed_slugs IS NOT NULL RETURNING host_id AS "hostId", before.removed_slugs AS slugs`,
    [id, siteId],
    transaction,
  )
  if (link === undefined) return null
  const found: { slug: string; isTaken: boolean }[] = []
  for (const [index, slug] of link.slugs.entries()) {
    const made = await rows(
      db,
      'INSERT INTO short_link_slugs (host_id, slug, short_link_id, is_main) VALUES ($1, $2, $3, $4) ON CONFLICT DO NOTHING RETURNING slug',
      [link.hostId, slug, id, index === 0],
      transaction,
    )
    found.push({ slug, isTaken: made.length === 0 })
  }
  return found
}

/** Pages whose drafts lead to one of these addresses. */
export async function pagesLeadingTo(
  db: Database,
  siteId: string,
  hrefs: readonly string[],
  limit: number,
): Promise<{ items: { id: string; title: string; path: string }[]; total: number }> {
  const items = await rows<{ id: string; title: string; path: string; total: number }>(
    db,
    `SELECT p.id, p.title, p.path, count(*) OVER ()::int AS total FROM pages p
     WHERE p.site_id = $1 AND EXISTS (SELECT 1 FROM placements l WHERE l.page_id = p.id AND l.href = ANY($2::text[])) ORDER BY p.path LIMIT $3`,
    [siteId, hrefs, limit],
  )
  return { items: items.map(({ id, title, path }) => ({ id, title, path })), total: items[0]?.total ?? 0 }
}

export async function takenSlugs(db: Database, hostId: string): Promise<Set<string>> {
  return new Set(
    (await rows<{ slug: string }>(db, 'SELECT slug FROM short_link_slugs WHERE host_id = $1', [hostId])).map(({ slug }) => slug),
  )
}
