import { type Database, jsonOf, rows, type Transaction } from './database.ts'
import { count, remove, select } from './plain.ts'
import { partnerBanners, partnerSubs, type RowOf, selected } from './tables/index.ts'
import { PAGE_DIFFERS } from './unpublished.ts'

export interface SubRow {
  readonly sub: string
  readonly partnerId: string
  readonly pageId: string | null
  readonly shortLinkId: string | null
  readonly destination: string
}

/** Remembers where sub-IDs stand. One that is known stays what it is. */
export async function keepSubs(db: Database, siteId: string, subs: readonly SubRow[], transaction?: Transaction): Promise<void> {
  if (subs.length === 0) return
  await rows(
    db,
    `INSERT INTO partner_subs (site_id, sub, partner_id, page_id, short_link_id, destination)
     SELECT $1, w.sub, w."partnerId", w."pageId", w."shortLinkId", w.destination
     FROM jsonb_to_recordset($2::jsonb) AS w (sub text, "partnerId" uuid, "pageId" uuid, "shortLinkId" uuid, destination text) ON CONFLICT DO NOTHING`,
    [siteId, jsonOf(subs)],
    transaction,
  )
}

export type BannerRow = Readonly<Pick<RowOf<typeof partnerBanners>, (typeof BANNER)[number]>>
const BANNER = ['id', 'partnerId', 'href', 'text', 'picture'] as const

/** Of one partner, or of all; or the one of an id. */
export const listBanners = (
  db: Database,
  siteId: string,
  of: { readonly partnerId?: string; readonly id?: string },
  limit: number,
): Promise<BannerRow[]> => {
  const order = [
    ['createdAt', 'DESC'],
    ['id', 'ASC'],
  ] as const
  return select(db, partnerBanners, BANNER, { siteId, ...of }, { order, limit })
}

/** @returns null where there is no such banner */
export async function setBannerPicture(
  db: Database,
  siteId: string,
  id: string,
  picture: object,
  transaction: Transaction,
): Promise<BannerRow | null> {
  const [row] = await rows<BannerRow>(
    db,
    `UPDATE partner_banners AS b SET picture = $3::jsonb WHERE b.site_id = $1 AND b.id = $2 RETURNING ${selected(partnerBanners, BANNER, 'b')}`,
    [siteId, id, jsonOf(picture)],
    transaction,
  )
  return row ?? null
}

/** @returns null where there is no such partner */
export async function insertBanner(
  db: Database,
  siteId: string,
  banner: Omit<BannerRow, 'id'>,
  transaction: Transaction,
): Promise<BannerRow | null> {
  const [row] = await rows<BannerRow>(
    db,
    `INSERT INTO partner_banners AS b (site_id, partner_id, href, words, picture)
     SELECT $1, p.id, $3, $4, $5::jsonb FROM partners p WHERE p.id = $2 AND p.site_id = $1 RETURNING ${selected(partnerBanners, BANNER, 'b')}`,
    [siteId, banner.partnerId, banner.href, banner.text, jsonOf(banner.picture)],
    transaction,
  )
  return row ?? null
}

export function countBanners(db: Database, siteId: string, partnerId: string, transaction: Transaction): Promise<number> {
  return count(db, partnerBanners, { siteId, partnerId }, transaction)
}

export async function removeBanner(db: Database, siteId: string, id: string, transaction: Transaction): Promise<boolean> {
  return (await remove(db, partnerBanners, { siteId, id }, transaction)) > 0
}

/** Pages whose links lead to an address, by address. */
export const pagesLinkingTo = (
  db: Database,
  siteId: string,
  hrefs: readonly string[],
): Promise<{ href: string; id: string; path: string; title: string }[]> =>
  rows(
    db,
    `SELECT DISTINCT l.href, p.id, p.path, p.title FROM placements l JOIN pages p ON p.id = l.page_id
     WHERE p.site_id = $1 AND l.href = ANY($2::text[]) ORDER BY p.path LIMIT 500`,
    [siteId, hrefs],
  )

/**
 * Pages and blocks whose drafts differ from what is live and hold links, put in by a person, to one of these hosts or below it.
 * @param wanted - ids; all drafts when null
 */
export async function unpublishedLinksTo(
  db: Database,
  siteId: string,
  hosts: readonly string[],
  wanted: readonly string[] | null,
  transaction: Transaction,
): Promise<string[]> {
  const found = await rows<{ id: string }>(
    db,
    `SELECT DISTINCT p.id FROM pages p JOIN placements l ON l.page_id = p.id
     WHERE p.site_id = $1 AND ${PAGE_DIFFERS} AND p.removed_at IS NULL AND p.kind <> 'menu' AND ($3::uuid[] IS NULL OR p.id = ANY($3))
       AND l.by_hand IS NOT NULL AND EXISTS (
         SELECT FROM (SELECT string_to_array(substring(lower(l.href) from '^s*(?:https?:)?//([^/?#:]{1,255})'), '.') AS parts) h,
           generate_subscripts(h.parts, 1) AS i WHERE array_to_string(h.parts[i:], '.') = ANY($2::text[]))`,
    [siteId, hosts, wanted],
    transaction,
  )
  return found.map(({ id }) => id)
}

/** The page that each of these sub-IDs stands for; null for a short link's. Those that nobody knows are left out. */
export async function pagesOfSubs(db: Database, siteId: string, subs: readonly string[]): Promise<ReadonlyMap<string, string | null>> {
  const found = await select(db, partnerSubs, ['sub', 'pageId'], { siteId, sub: subs })
  return new Map(found.map(({ sub, pageId }) => [sub, pageId]))
}
