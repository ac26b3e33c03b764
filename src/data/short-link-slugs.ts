import type { Transaction } from 'sequelize'
import { type Database, rows } from './database.ts'
import type { ShortLinkRow } from './models.ts'

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
): Promise<(ShortLinkName & { id: string; destination: string; status: ShortLinkRow['status'] })[]> {
  if (names.length === 0) return Promise.resolve([])
  return rows(
    db,
    `SELECT h.host, s.slug, l.id, l.destination, l.status FROM unnest($2::text[], $3::text[]) AS named (host, slug)
     JOIN hosts h ON h.host = named.host AND h.site_id = $1 AND h.removed_at IS NULL
     JOIN short_link_slugs s ON s.host_id = h.id AND s.slug = named.slug JOIN short_links l ON l.id = s.short_link_id`,
    [siteId, names.map(({ host }) => host), names.map(({ slug }) => slug)],
  )
}

/** Which of these slugs somebody has on a host. */
export async function takenSlugs(db: Database, hostId: string, slugs: readonly string[]): Promise<Set<string>> {
  const found = await rows<{ slug: string }>(db, 'SELECT slug FROM short_link_slugs WHERE host_id = $1 AND slug = ANY($2::text[])', [
    hostId,
    slugs,
  ])
  return new Set(found.map(({ slug }) => slug))
}

/** A slug that is in use, and what it leads to. */
export interface TakenSlug extends Pick<ShortLinkRow, 'id' | 'hostId' | 'destination' | 'title' | 'status' | 'version'> {
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
    `SELECT s.slug AS asked, s.host_id AS "hostId", l.id, l.destination, l.title, l.status, l.version
     FROM unnest($1::uuid[], $2::text[]) AS named (host_id, slug) JOIN short_link_slugs s ON s.host_id = named.host_id AND s.slug = named.slug
     JOIN short_links l ON l.id = s.short_link_id`,
    [slugs.map(({ hostId }) => hostId), slugs.map(({ slug }) => slug)],
    transaction,
  )
}
