import type { ShortLinkTarget } from '../core/routing/index.ts'
import { type Database, rows, type Transaction } from './database.ts'
import { select, update } from './plain.ts'
import { type ShortLinkRow, selected, shortLinkSlugs, shortLinks } from './tables/index.ts'

/** A short link as it is named in an address. The slug is in lower case. */
export interface ShortLinkName {
  readonly host: string
  readonly slug: string
}

/** How some short links are named, those that were withdrawn too, and where they lead now: null for nowhere. */
export function namesOf(db: Database, siteId: string, ids: readonly string[]): Promise<(ShortLinkName & { destination: string | null })[]> {
  return rows(
    db,
    `SELECT h.host, s.slug, l.destination FROM short_links l JOIN short_link_slugs s ON s.short_link_id = l.id JOIN hosts h ON h.id = s.host_id
     WHERE l.site_id = $1 AND l.id = ANY($2::uuid[])
     UNION ALL SELECT h.host, gone.slug, NULL FROM short_links l CROSS JOIN LATERAL unnest(l.removed_slugs) AS gone (slug) JOIN hosts h ON h.id = l.host_id
     WHERE l.site_id = $1 AND l.id = ANY($2::uuid[]) AND NOT EXISTS (SELECT FROM short_link_slugs s WHERE s.host_id = l.host_id AND s.slug = gone.slug)`,
    [siteId, ids],
  )
}

/** Where short links lead; those that there are not are left out. */
export function destinationsOf(
  db: Database,
  siteId: string,
  names: readonly ShortLinkName[],
): Promise<(ShortLinkName & ShortLinkTarget)[]> {
  if (names.length === 0) return Promise.resolve([])
  return rows(
    db,
    `SELECT h.host, s.slug, l.id, l.destination, l.status, l.course, l.down_at IS NOT NULL AS "isDown", l.full_at IS NOT NULL AS "isFull" FROM unnest($2::text[], $3::text[]) AS named (host, slug)
     JOIN hosts h ON h.host = named.host AND h.site_id = $1 AND h.removed_at IS NULL
     JOIN short_link_slugs s ON s.host_id = h.id AND s.slug = named.slug JOIN short_links l ON l.id = s.short_link_id`,
    [siteId, names.map(({ host }) => host), names.map(({ slug }) => slug)],
  )
}

/** A slug that a short link answers to. */
export interface KeptSlug {
  readonly shortLinkId: string
  readonly hostId: string
  readonly host: string
  readonly prefix: string
  readonly slug: string
  readonly isMain: boolean
}

/** The slugs of some short links, the main one of each first. */
export function slugsOf(db: Database, ids: readonly string[], transaction?: Transaction): Promise<KeptSlug[]> {
  return rows(
    db,
    `SELECT ${selected(shortLinkSlugs, ['shortLinkId', 'hostId', 'slug', 'isMain'], 's')}, h.host, h.prefix
     FROM short_link_slugs s JOIN hosts h ON h.id = s.host_id WHERE s.short_link_id = ANY($1::uuid[]) ORDER BY s.is_main DESC, h.host, s.slug`,
    [ids],
    transaction,
  )
}

/**
 * Gives a short link just these slugs, the first of them its main one. Those that others have stay theirs.
 * @returns the slugs that somebody else has: then everything is to be taken back
 */
export async function setSlugs(
  db: Database,
  id: string,
  wanted: readonly { readonly hostId: string; readonly slug: string }[],
  transaction: Transaction,
): Promise<{ hostId: string; slug: string }[]> {
  const bind = [id, wanted.map(({ hostId }) => hostId), wanted.map(({ slug }) => slug)]
  const named = 'unnest($2::uuid[], $3::text[]) AS w (host_id, slug)'
  await rows(
    db,
    `DELETE FROM short_link_slugs s WHERE s.short_link_id = $1 AND NOT EXISTS (SELECT FROM ${named} WHERE w.host_id = s.host_id AND w.slug = s.slug)`,
    bind,
    transaction,
  )
  await rows(
    db,
    `INSERT INTO short_link_slugs (host_id, slug, short_link_id, is_main) SELECT host_id, slug, $1, false FROM ${named} ON CONFLICT DO NOTHING`,
    bind,
    transaction,
  )
  const others = await rows<{ hostId: string; slug: string }>(
    db,
    `SELECT s.host_id AS "hostId", s.slug FROM ${named} JOIN short_link_slugs s ON s.host_id = w.host_id AND s.slug = w.slug WHERE s.short_link_id <> $1`,
    bind,
    transaction,
  )
  const [main] = wanted
  if (others.length > 0 || main === undefined) return others
  await rows(
    db,
    'UPDATE short_link_slugs SET is_main = (host_id = $2 AND slug = $3) WHERE short_link_id = $1',
    [id, main.hostId, main.slug],
    transaction,
  )
  await update(db, shortLinks, { hostId: main.hostId, slug: main.slug }, { id }, transaction)
  return []
}

/** Which of these slugs somebody has on a host. */
export async function takenSlugs(db: Database, hostId: string, slugs: readonly string[]): Promise<Set<string>> {
  const found = await select(db, shortLinkSlugs, ['slug'], { hostId, slug: slugs })
  return new Set(found.map(({ slug }) => slug))
}

/** A slug that is in use, and what it leads to. */
const TAKEN = ['id', 'destination', 'title', 'status', 'version', 'note', 'tags'] as const
export interface TakenSlug extends Pick<ShortLinkRow, (typeof TAKEN)[number] | 'hostId'> {
  /** As it was asked for: a further slug of a link counts as well as its main one. */
  readonly asked: string
}

/** Which of these slugs are in use. */
export function slugsInUse(
  db: Database,
  slugs: readonly { readonly hostId: string; readonly slug: string }[],
  transaction?: Transaction,
): Promise<TakenSlug[]> {
  return rows(
    db,
    `SELECT s.slug AS asked, s.host_id AS "hostId", ${selected(shortLinks, TAKEN, 'l')}
     FROM unnest($1::uuid[], $2::text[]) AS named (host_id, slug) JOIN short_link_slugs s ON s.host_id = named.host_id AND s.slug = named.slug
     JOIN short_links l ON l.id = s.short_link_id`,
    [slugs.map(({ hostId }) => hostId), slugs.map(({ slug }) => slug)],
    transaction,
  )
}
