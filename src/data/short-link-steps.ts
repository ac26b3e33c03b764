import { type Database, jsonOf, rows, type Transaction } from './database.ts'
import { insert, select } from './plain.ts'
import { keepVersions, type ShortLinkVersion } from './short-links.ts'
import { SHORT_LINK_SAYS, shortLinkSteps, shortLinks, utmValues as utmTable } from './tables/index.ts'

/** A short link as it was before a step, and its version after it. */
export interface SteppedLink {
  readonly id: string
  readonly version: number
  /** Null for one that the step made. */
  readonly before: Pick<ShortLinkVersion, 'destination' | 'status' | 'tags'> | null
  readonly isRemoved: boolean
}

export interface SteppableLink extends ShortLinkVersion {
  readonly id: string
  readonly version: number
  readonly slug: string
}

/** Takes hold of short links that are to be changed together; those that are gone are left out. */
export const linksForStep = (db: Database, siteId: string, ids: readonly string[], transaction: Transaction): Promise<SteppableLink[]> =>
  select(
    db,
    shortLinks,
    ['id', 'version', 'slug', ...SHORT_LINK_SAYS],
    { siteId, id: ids, removedSlugs: null },
    {
      order: [
        ['createdAt', 'DESC'],
        ['id', 'DESC'],
      ],
      holds: true,
      transaction,
    },
  )

/** Writes what these links say from now on, each on top of its version. @returns the ids of those that were still of it */
export async function changeLinks(
  db: Database,
  { siteId, personId }: { siteId: string; personId: string },
  links: readonly (Pick<ShortLinkVersion, 'destination' | 'status' | 'tags'> & { readonly id: string; readonly version: number })[],
  transaction: Transaction,
): Promise<Set<string>> {
  const changed = await rows<{ id: string }>(
    db,
    `UPDATE short_links l SET destination = w.destination, status = w.status, tags = w.tags, version = l.version + 1, updated_at = now(),
       down_at = CASE WHEN l.destination = w.destination THEN l.down_at END
     FROM jsonb_to_recordset($2::jsonb) AS w (id uuid, version int, destination text, status int, tags text[])
     WHERE l.id = w.id AND l.site_id = $1 AND l.version = w.version AND l.removed_slugs IS NULL RETURNING l.id`,
    [siteId, jsonOf(links)],
    transaction,
  )
  const ids = changed.map(({ id }) => id)
  await keepVersions(db, ids, personId, transaction)
  return new Set(ids)
}

/** Which of these links that were taken away cannot come back: somebody else has their main slug. */
export async function barredLinks(db: Database, ids: readonly string[], transaction: Transaction): Promise<Set<string>> {
  const found = await rows<{ id: string }>(
    db,
    `SELECT l.id FROM short_links l JOIN short_link_slugs s ON s.host_id = l.host_id AND s.slug = l.slug AND s.short_link_id <> l.id
     WHERE l.id = ANY($1::uuid[]) AND l.removed_slugs IS NOT NULL`,
    [ids],
    transaction,
  )
  return new Set(found.map(({ id }) => id))
}

export const insertShortLinkStep = (
  db: Database,
  step: { id: string; siteId: string; personId: string; what: string; links: readonly SteppedLink[] },
  transaction: Transaction,
): Promise<unknown> => insert(db, shortLinkSteps, step, transaction)

/** Takes hold of a step that is to be taken back. @returns null where there is none, or it was taken back already */
export async function takeShortLinkStep(
  db: Database,
  siteId: string,
  id: string,
  transaction: Transaction,
): Promise<readonly SteppedLink[] | null> {
  const [step] = await rows<{ links: SteppedLink[] }>(
    db,
    'UPDATE short_link_steps SET undone_at = now() WHERE site_id = $1 AND id = $2 AND undone_at IS NULL RETURNING links',
    [siteId, id],
    transaction,
  )
  return step?.links ?? null
}

/** What a site writes into UTM parameters, the most used first. */
export const utmValues = (db: Database, siteId: string, limit: number): Promise<{ name: string; value: string; uses: number }[]> =>
  select(db, utmTable, ['name', 'value', 'uses'], { siteId }, { order: BY_USE, limit })
const BY_USE = [
  ['uses', 'DESC'],
  ['lastAt', 'DESC'],
] as const

export const countUtmValues = (
  db: Database,
  siteId: string,
  values: readonly (readonly [name: string, value: string])[],
  transaction: Transaction,
): Promise<unknown> =>
  rows(
    db,
    `INSERT INTO utm_values (site_id, name, value) SELECT $1, name, value FROM unnest($2::text[], $3::text[]) AS u (name, value) GROUP BY name, value
     ON CONFLICT (site_id, name, value) DO UPDATE SET uses = utm_values.uses + 1, last_at = now()`,
    [siteId, values.map(([name]) => name), values.map(([, value]) => value)],
    transaction,
  )
