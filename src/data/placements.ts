import type { FoundPlacement } from '../core/content/index.ts'
import type { WrittenLink } from '../core/rules/index.ts'
import { type Database, jsonOf, rows, type Transaction } from './database.ts'
import { remove } from './plain.ts'
import { type PageKind, placements as placementTable } from './tables/index.ts'

/** Derives the placements of pages anew. */
export async function replacePlacements(
  db: Database,
  pages: readonly { pageId: string; placements: readonly FoundPlacement[]; words: number }[],
  transaction: Transaction,
): Promise<void> {
  await rows(
    db,
    'UPDATE pages p SET words = x.words FROM unnest($1::uuid[], $2::int[]) AS x(id, words) WHERE p.id = x.id',
    [pages.map(({ pageId }) => pageId), pages.map(({ words }) => words)],
    transaction,
  )
  await remove(db, placementTable, { pageId: pages.map(({ pageId }) => pageId) }, transaction)
  const found = pages.flatMap(({ pageId, placements }) => placements.map((each) => ({ page_id: pageId, ...each })))
  if (found.length === 0) return
  await rows(
    db,
    `INSERT INTO placements (page_id, ordinal, start_at, end_at, tag, shown_text, href, rel, target, by_hand, link_tags, paragraph, shows, base_href, base_target)
     SELECT page_id, ordinal, start, "end", tag, text, href, rel, target, "byHand", tags, paragraph, shows, "baseHref", "baseTarget"
     FROM jsonb_to_recordset($1::jsonb) AS x(page_id uuid, ordinal int, start int, "end" int, tag text, text text, href text, rel text, target text,
       "byHand" text, tags text, paragraph int, shows text, "baseHref" text, "baseTarget" text)`,
    [jsonOf(found)],
    transaction,
  )
}

/** A stored placement with the page it hangs on. */
export interface PlacementRow extends WrittenLink {
  readonly pageId: string
  readonly path: string
  readonly kind: PageKind
  readonly writtenFor: string | null
  readonly pageTags: readonly string[]
  readonly pageWords: number | null
  readonly pageVersion: number
  readonly paragraph: number | null
  readonly title: string
  readonly ordinal: number
  readonly start: number
  readonly tag: string
  readonly text: string
}

/** Placements in the order of path and place. `after` is the last one seen. */
export function listPlacements(
  db: Database,
  filter: {
    siteId: string
    path?: string | undefined
    pageIds?: readonly string[]
    after?: { path: string; ordinal: number } | undefined
    limit?: number
    /** Start tags are most of what is read; without them they are "". */
    withTags?: boolean
  },
): Promise<PlacementRow[]> {
  const bind: unknown[] = [filter.siteId, filter.limit ?? null]
  const where = ['p.site_id = $1', 'p.removed_at IS NULL']
  if (filter.path !== undefined) where.push(`p.path = $${bind.push(filter.path)}`)
  if (filter.pageIds !== undefined) where.push(`p.id = ANY($${bind.push(filter.pageIds)}::uuid[])`)
  if (filter.after !== undefined) {
    const [path, ordinal] = [`$${bind.push(filter.after.path)} COLLATE "C"`, `$${bind.push(filter.after.ordinal)}::int`]
    // The first condition follows from the second; the index only understands the first.
    where.push(`p.path COLLATE "C" >= ${path}`, `(p.path COLLATE "C", l.ordinal) > (${path}, ${ordinal})`)
  }
  return rows<PlacementRow>(
    db,
    `SELECT l.page_id AS "pageId", p.path, p.kind, p.written_for AS "writtenFor", p.tags AS "pageTags", p.words AS "pageWords", p.version AS "pageVersion", p.title,
       l.ordinal, l.start_at AS start, ${filter.withTags === false ? "''" : 'l.tag'} AS tag, l.shown_text AS text, l.href, l.rel, l.target, l.by_hand AS "byHand", l.link_tags AS tags, l.paragraph, l.shows,
       l.base_href AS "baseHref", l.base_target AS "baseTarget"
     FROM pages p JOIN placements l ON p.id = l.page_id
     WHERE ${where.join(' AND ')} ORDER BY p.path COLLATE "C", l.ordinal LIMIT $2`,
    bind,
  )
}

/** What pages lead to, each address as written once a page. */
export const hrefsOn = (
  db: Database,
  siteId: string,
  pageIds: readonly string[],
): Promise<{ pageId: string; path: string; baseHref: string | null; href: string; links: number }[]> =>
  rows(
    db,
    `SELECT l.page_id AS "pageId", p.path, l.base_href AS "baseHref", l.href, count(*)::int AS links FROM placements l JOIN pages p ON p.id = l.page_id
     WHERE p.site_id = $1 AND p.removed_at IS NULL AND p.id = ANY($2::uuid[]) GROUP BY 1, 2, 3, 4`,
    [siteId, pageIds],
  )

/** The start tags of some placements, by page and ordinal; those that are gone are left out. */
export function tagsOf(
  db: Database,
  siteId: string,
  placements: readonly { readonly pageId: string; readonly ordinal: number }[],
): Promise<{ pageId: string; ordinal: number; tag: string }[]> {
  return rows(
    db,
    `SELECT l.page_id AS "pageId", l.ordinal, l.tag FROM unnest($2::uuid[], $3::int[]) AS named (page_id, ordinal)
     JOIN placements l USING (page_id, ordinal) JOIN pages p ON p.id = l.page_id AND p.site_id = $1`,
    [siteId, placements.map(({ pageId }) => pageId), placements.map(({ ordinal }) => ordinal)],
  )
}

/** How many links all pages, blocks and menus hold. @param most - it is counted no further than that */
export async function countPlacements(db: Database, siteId: string, most: number): Promise<number> {
  const [found] = await rows<{ count: number }>(
    db,
    `SELECT count(*)::int AS count FROM (
       SELECT FROM placements l JOIN pages p ON p.id = l.page_id WHERE p.site_id = $1 AND p.removed_at IS NULL LIMIT $2) AS counted`,
    [siteId, most],
  )
  return found?.count ?? 0
}

/** Sites with pages whose placements lack what a migration asks for. @param all - every site that has pages */
export async function sitesToRebuild(db: Database, all: boolean): Promise<string[]> {
  const found = await rows<{ siteId: string }>(
    db,
    `SELECT DISTINCT p.site_id AS "siteId" FROM pages p LEFT JOIN placements l ON l.page_id = p.id
     WHERE p.words IS NULL OR (l.page_id IS NOT NULL AND l.paragraph IS NULL) OR $1`,
    [all],
  )
  return found.map(({ siteId }) => siteId)
}
