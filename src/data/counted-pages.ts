import type { PoolClient } from 'pg'
import { type Database, rows } from './database.ts'

/** How often a page was looked at in an hour, by people and by others. Hours as "2026-11-24T07", UTC. */
export interface SeenPage {
  readonly siteId: string
  readonly host: string
  readonly path: string
  readonly hour: string
  readonly people: number
  readonly others: number
}
/** How often a link of a page was followed. */
export interface SeenLink extends SeenPage {
  readonly address: string
  /** Of the page's links to the same address, from 0. */
  readonly nth: number
}
/** Somebody who looked at a page on a day. */
export interface SeenVisitor {
  readonly day: string
  readonly visitor: string
}

/** Most pages that are counted of a site, and links of one page: those that come later are not. What tells of them comes from whoever likes. */
const PAGES_MAX = 100_000
const LINKS_MAX = 2_000

/** Adds counts, in the transaction that takes them from the log. */
export async function countSeen(
  client: PoolClient,
  {
    pages,
    links,
    visitors,
  }: { readonly pages: readonly SeenPage[]; readonly links: readonly SeenLink[]; readonly visitors: readonly SeenVisitor[] },
): Promise<void> {
  if (pages.length === 0 && links.length === 0) return
  const given = JSON.stringify([...pages.map((page) => ({ ...page, address: null, nth: 0 })), ...links.map((link) => link)])
  await client.query(
    `WITH given AS MATERIALIZED (
       SELECT x."siteId" AS site_id, x.host, x.path, x.address, x.nth, (x.hour || ':00:00Z')::timestamptz AS hour, x.people, x.others
       FROM jsonb_to_recordset($1::jsonb) AS x("siteId" uuid, host text, path text, address text, nth smallint, hour text, people bigint, others bigint)
       JOIN sites s ON s.id = x."siteId"),
     full_sites AS (SELECT s.site_id FROM (SELECT DISTINCT site_id FROM given) s
       WHERE (SELECT count(*) FROM (SELECT 1 FROM seen_pages p WHERE p.site_id = s.site_id LIMIT ${PAGES_MAX}) counted) >= ${PAGES_MAX}),
     pages AS (
       INSERT INTO seen_pages (site_id, host, path)
       SELECT DISTINCT g.site_id, g.host, g.path FROM given g WHERE g.site_id NOT IN (SELECT site_id FROM full_sites)
         OR EXISTS (SELECT 1 FROM seen_pages p WHERE p.site_id = g.site_id AND p.host = g.host AND md5(p.path) = md5(g.path))
       ON CONFLICT (site_id, host, md5(path)) DO UPDATE SET path = excluded.path RETURNING id, site_id, host, path),
     seen AS (
       INSERT INTO seen_page_hours (page_id, hour, people, others)
       SELECT p.id, g.hour, sum(g.people), sum(g.others) FROM given g JOIN pages p USING (site_id, host, path) WHERE g.address IS NULL GROUP BY 1, 2
       ON CONFLICT (page_id, hour) DO UPDATE SET people = seen_page_hours.people + excluded.people, others = seen_page_hours.others + excluded.others),
     full_pages AS (SELECT p.id FROM pages p
       WHERE (SELECT count(*) FROM (SELECT 1 FROM seen_links l WHERE l.page_id = p.id LIMIT ${LINKS_MAX}) counted) >= ${LINKS_MAX}),
     links AS (
       INSERT INTO seen_links (page_id, address, nth)
       SELECT DISTINCT p.id, g.address, g.nth FROM given g JOIN pages p USING (site_id, host, path) WHERE g.address IS NOT NULL
         AND (p.id NOT IN (SELECT id FROM full_pages)
           OR EXISTS (SELECT 1 FROM seen_links l WHERE l.page_id = p.id AND md5(l.address) = md5(g.address) AND l.nth = g.nth))
       ON CONFLICT (page_id, md5(address), nth) DO UPDATE SET address = excluded.address RETURNING id, page_id, address, nth)
     INSERT INTO seen_link_hours (link_id, hour, people, others)
     SELECT l.id, g.hour, sum(g.people), sum(g.others) FROM given g JOIN pages p USING (site_id, host, path)
       JOIN links l ON l.page_id = p.id AND l.address = g.address AND l.nth = g.nth GROUP BY 1, 2
     ON CONFLICT (link_id, hour) DO UPDATE SET people = seen_link_hours.people + excluded.people, others = seen_link_hours.others + excluded.others`,
    [given],
  )
  await client.query('INSERT INTO seen_visitors (day, visitor) SELECT * FROM unnest($1::date[], $2::text[]) ON CONFLICT DO NOTHING', [
    visitors.map(({ day }) => day),
    visitors.map(({ visitor }) => visitor),
  ])
}

/** Views by people of a site's pages since a moment, the most first. */
export const viewsOfPages = (
  db: Database,
  siteId: string,
  since: Date,
  limit: number,
): Promise<{ host: string; path: string; people: number; others: number }[]> =>
  rows(
    db,
    `SELECT p.host, p.path, sum(h.people)::int AS people, sum(h.others)::int AS others FROM seen_pages p JOIN seen_page_hours h ON h.page_id = p.id
     WHERE p.site_id = $1 AND h.hour >= $2 GROUP BY p.id ORDER BY people DESC, p.path LIMIT $3`,
    [siteId, since, limit],
  )

/** Links of pages that people followed since a moment, the most first; those to one address where that is asked. */
export const followedLinks = (
  db: Database,
  siteId: string,
  { since, to = null, limit }: { since: Date; to?: readonly string[] | null; limit: number },
): Promise<{ host: string; path: string; address: string; nth: number; people: number }[]> =>
  rows(
    db,
    `SELECT p.host, p.path, l.address, l.nth, sum(h.people)::int AS people FROM seen_pages p JOIN seen_links l ON l.page_id = p.id
       JOIN seen_link_hours h ON h.link_id = l.id
     WHERE p.site_id = $1 AND h.hour >= $2 AND ($3::text[] IS NULL OR (md5(l.address) IN (SELECT md5(a) FROM unnest($3::text[]) a) AND l.address = ANY($3))) AND h.people > 0
     GROUP BY p.id, l.id ORDER BY people DESC, p.path LIMIT $4`,
    [siteId, since, to, limit],
  )

export async function seenTotals(db: Database, siteId: string, since: Date): Promise<{ views: number; links: number; bots: number }> {
  const [found] = await rows<{ views: number; links: number; bots: number }>(
    db,
    `SELECT coalesce((SELECT sum(h.people) FROM seen_page_hours h JOIN seen_pages p ON p.id = h.page_id WHERE p.site_id = $1 AND h.hour >= $2), 0)::int AS views,
       coalesce((SELECT sum(h.others) FROM seen_page_hours h JOIN seen_pages p ON p.id = h.page_id WHERE p.site_id = $1 AND h.hour >= $2), 0)::int AS bots,
       coalesce((SELECT sum(h.people) FROM seen_link_hours h JOIN seen_links l ON l.id = h.link_id JOIN seen_pages p ON p.id = l.page_id
         WHERE p.site_id = $1 AND h.hour >= $2), 0)::int AS links`,
    [siteId, since],
  )
  return found ?? { views: 0, links: 0, bots: 0 }
}
