import { type Database, rows, type Transaction } from './database.ts'
import { leadsOut, leadsTo } from './partners.ts'
import { insert, select } from './plain.ts'
import type { ShortLinkVersion } from './short-links.ts'
import { partnerMoves, redirects, selected, shortLinks, type UseKind } from './tables/index.ts'

/** A short link whose destination names a host. */
export interface MovedShortLink {
  readonly id: string
  readonly version: number
  readonly destination: string
  readonly title: string
  readonly status: ShortLinkVersion['status']
  readonly slug: string
}

/** Short links that lead to one of these hosts, or to one below it. */
export const shortLinksTo = (db: Database, siteId: string, hosts: readonly string[], limit: number): Promise<MovedShortLink[]> =>
  rows(
    db,
    `SELECT l.id, l.version, l.destination, l.title, l.status, s.slug FROM short_links l
       JOIN LATERAL (SELECT slug FROM short_link_slugs WHERE short_link_id = l.id ORDER BY slug LIMIT 1) s ON true
     WHERE l.id IN (SELECT l.id FROM unnest($2::text[]) AS w (host) JOIN short_links l ON l.site_id = $1 AND ${leadsTo('l')}) ORDER BY l.created_at, l.id LIMIT $3`,
    [siteId, hosts, limit],
  )

export const redirectsTo = (
  db: Database,
  siteId: string,
  hosts: readonly string[],
  limit: number,
): Promise<{ id: string; version: number; from: string; to: string }[]> =>
  rows(
    db,
    `SELECT r.id, r.version, r.source AS "from", r.destination AS "to" FROM redirects r
     WHERE r.id IN (SELECT r.id FROM unnest($2::text[]) AS w (host) JOIN redirects r
       ON ${leadsOut('$1')} AND ${leadsTo('r')}) ORDER BY r.place, r.id LIMIT $3`,
    [siteId, hosts, limit],
  )

export interface PartnerMoveRow {
  readonly id: string
  /** Where one address was led elsewhere, not a partner's. */
  readonly mended: { readonly address: string; readonly to: string } | null
  readonly bulkChangeId: string | null
  readonly redirectStepId: string | null
  readonly shortLinks: readonly { readonly id: string; readonly before: string; readonly after: string }[]
}

export const insertPartnerMove = (
  db: Database,
  { siteId, personId }: { readonly siteId: string; readonly personId: string },
  partnerId: string | null,
  move: PartnerMoveRow,
  transaction?: Transaction,
): Promise<unknown> => insert(db, partnerMoves, { siteId, personId, partnerId, ...move }, transaction)

/** Takes hold of a step that is to be taken back. @returns null where there is none, or it was taken back already */
export async function takePartnerMove(db: Database, siteId: string, id: string, transaction: Transaction): Promise<PartnerMoveRow | null> {
  const [row] = await rows<PartnerMoveRow>(
    db,
    `UPDATE partner_moves SET undone_at = now() WHERE site_id = $1 AND id = $2 AND undone_at IS NULL
     RETURNING ${selected(partnerMoves, ['id', 'mended', 'bulkChangeId', 'redirectStepId', 'shortLinks'])}`,
    [siteId, id],
    transaction,
  )
  return row ?? null
}

/** What leads to a destination: pages, blocks and menus; short links; rows of redirects. */
export async function usersToMend(
  db: Database,
  siteId: string,
  destination: string,
  limit: number,
): Promise<{ pages: string[]; shortLinks: MovedShortLink[]; redirects: { id: string; version: number; from: string; to: string }[] }> {
  const users = await rows<{ kind: UseKind; id: string }>(
    db,
    'SELECT of_kind AS kind, of_id AS id FROM destination_uses u JOIN destinations d ON d.id = u.destination_id WHERE d.site_id = $1 AND d.digest = md5($2)::uuid LIMIT $3',
    [siteId, destination, limit],
  )
  const idsOf = (kind: UseKind): string[] => users.filter((each) => each.kind === kind).map(({ id }) => id)
  return {
    pages: idsOf('page'),
    shortLinks: await select(db, shortLinks, ['id', 'version', 'destination', 'title', 'status', 'slug'], {
      siteId,
      id: idsOf('short-link'),
      removedSlugs: null,
    }),
    redirects: await select(db, redirects, ['id', 'version', 'from', 'to'], { siteId, id: idsOf('redirect'), removedAt: null }),
  }
}

export const shortLinksById = (db: Database, siteId: string, ids: readonly string[], transaction: Transaction): Promise<MovedShortLink[]> =>
  rows(
    db,
    `SELECT l.id, l.version, l.destination, l.title, l.status, '' AS slug FROM short_links l WHERE l.site_id = $1 AND l.id = ANY($2::uuid[]) FOR UPDATE`,
    [siteId, ids],
    transaction,
  )
