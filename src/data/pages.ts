import type { Transaction } from 'sequelize'
import type { FoundPlacement } from '../core/content/index.ts'
import type { WrittenLink } from '../core/rules/index.ts'
import { type Database, rows } from './database.ts'
import type { PageRow } from './models.ts'

/** Text as PostgreSQL can keep it: without NUL and halves of surrogate pairs. */
export const storable = (text: string): string =>
  text.replaceAll('\0', '\uFFFD').replace(/[\ud800-\udbff](?![\udc00-\udfff])|(?<![\ud800-\udbff])[\udc00-\udfff]/g, '\uFFFD')

/** Keeps contents by their hash; those already kept are left as they are. */
export async function putBlobs(
  db: Database,
  blobs: readonly { hash: string; bytes: Uint8Array }[],
  transaction: Transaction,
): Promise<void> {
  for (const { hash, bytes } of blobs) {
    await rows(db, 'INSERT INTO blobs (hash, bytes) VALUES ($1, $2) ON CONFLICT DO NOTHING', [hash, Buffer.from(bytes)], transaction)
  }
}

/** @returns null when nothing is kept under that hash */
export async function getBlob(db: Database, hash: string): Promise<Buffer | null> {
  const [row] = await rows<{ bytes: Buffer }>(db, 'SELECT bytes FROM blobs WHERE hash = $1', [hash])
  return row?.bytes ?? null
}

const PAGE_COLUMNS = `p.id, p.site_id AS "siteId", p.path, p.source_name AS "sourceName", p.title, p.encoding, p.draft_hash AS "draftHash", p.live_hash AS "liveHash",
  p.live_encoding AS "liveEncoding", p.import_hash AS "importHash", p.draft_at AS "draftAt", p.live_at AS "liveAt", p.edited_by AS "editedBy", p.version`

/** A page with what a list shows beside it. */
export interface ListedPage extends PageRow {
  readonly links: number
  readonly editor: string | null
}

const LISTED = `SELECT ${PAGE_COLUMNS}, (SELECT count(*)::int FROM placements l WHERE l.page_id = p.id) AS links,
  (SELECT name FROM people WHERE people.id = p.edited_by) AS editor FROM pages p`

export async function findPage(db: Database, siteId: string, id: string, transaction?: Transaction): Promise<ListedPage | null> {
  const [page] = await rows<ListedPage>(db, `${LISTED} WHERE p.site_id = $1 AND p.id = $2`, [siteId, id], transaction)
  return page ?? null
}

export interface PageFilter {
  readonly siteId: string
  readonly paths?: readonly string[] | undefined
  readonly search?: string | undefined
  readonly state?: 'new' | 'changed' | 'live' | undefined
  /** Path after which the list goes on. */
  readonly after?: string | undefined
  readonly limit: number
}

/** Pages in the order of their paths. */
export async function listPages(db: Database, filter: PageFilter): Promise<{ items: ListedPage[]; total: number }> {
  const bind: unknown[] = [filter.siteId]
  const where = ['p.site_id = $1']
  const also = (sql: (n: string) => string, value: unknown): void => {
    bind.push(value)
    where.push(sql(`$${bind.length}`))
  }
  if (filter.paths !== undefined) also((n) => `p.path = ANY(${n}::text[])`, filter.paths)
  for (const word of (filter.search ?? '').split(/\s+/).filter((each) => each !== '')) {
    also((n) => `(p.title ILIKE ${n} OR p.path ILIKE ${n})`, `%${word.replace(/[\\%_]/g, '\\$&')}%`)
  }
  if (filter.state === 'new') where.push('p.live_hash IS NULL')
  if (filter.state === 'changed') where.push('p.live_hash IS NOT NULL AND p.live_hash <> p.draft_hash')
  if (filter.state === 'live') where.push('p.live_hash = p.draft_hash')
  const [count] = await rows<{ total: number }>(db, `SELECT count(*)::int AS total FROM pages p WHERE ${where.join(' AND ')}`, bind)
  if (filter.after !== undefined) also((n) => `p.path > ${n} COLLATE "C"`, filter.after)
  bind.push(filter.limit)
  const items = await rows<ListedPage>(db, `${LISTED} WHERE ${where.join(' AND ')} ORDER BY p.path COLLATE "C" LIMIT $${bind.length}`, bind)
  return { items, total: count?.total ?? 0 }
}

/** A page's new content, read and hashed. */
export interface NewContent {
  readonly hash: string
  readonly bytes: Uint8Array
  readonly encoding: string
  readonly title: string
  readonly placements: readonly FoundPlacement[]
}

/** Puts a draft on top of `version`, with revision and placements. @returns null when `version` is not the newest */
export async function updateDraft(
  db: Database,
  { pageId, version, content, personId }: { pageId: string; version: number; content: NewContent; personId: string },
  transaction: Transaction,
): Promise<number | null> {
  await putBlobs(db, [content], transaction)
  const [row] = await rows<{ version: number }>(
    db,
    `UPDATE pages SET draft_hash = $3, encoding = $4, title = $5, edited_by = $6, draft_at = now(), updated_at = now(), version = version + 1
     WHERE id = $1 AND version = $2 RETURNING version`,
    [pageId, version, content.hash, content.encoding, storable(content.title), personId],
    transaction,
  )
  if (row === undefined) return null
  await keepRevision(db, pageId, 'edit', personId, transaction)
  await replacePlacements(db, [{ pageId, placements: content.placements }], transaction)
  return row.version
}

/** Puts an imported page in its place, new or over the one of that path. @returns its id */
export async function upsertImported(
  db: Database,
  {
    siteId,
    path,
    sourceName,
    content,
    personId,
  }: { siteId: string; path: string; sourceName: string; content: NewContent; personId: string | null },
  transaction: Transaction,
): Promise<string> {
  await putBlobs(db, [content], transaction)
  const [row] = await rows<{ id: string }>(
    db,
    `INSERT INTO pages (site_id, path, source_name, title, encoding, draft_hash, import_hash, edited_by) VALUES ($1, $2, $3, $4, $5, $6, $6, $7)
     ON CONFLICT (site_id, path) DO UPDATE SET source_name = $3, title = $4, encoding = $5, draft_hash = $6, import_hash = $6, edited_by = $7,
       draft_at = now(), updated_at = now(), version = pages.version + 1 RETURNING id`,
    [siteId, path, storable(sourceName), storable(content.title), content.encoding, content.hash, personId],
    transaction,
  )
  const id = row?.id ?? ''
  await keepRevision(db, id, 'import', personId, transaction)
  await replacePlacements(db, [{ pageId: id, placements: content.placements }], transaction)
  return id
}

async function keepRevision(
  db: Database,
  pageId: string,
  madeBy: string,
  personId: string | null,
  transaction: Transaction,
): Promise<void> {
  await rows(
    db,
    `INSERT INTO page_revisions (page_id, version, hash, encoding, title, made_by, person_id) SELECT id, version, draft_hash, encoding, title, $2, $3 FROM pages WHERE id = $1`,
    [pageId, madeBy, personId],
    transaction,
  )
}

/** Derives the placements of pages anew. */
export async function replacePlacements(
  db: Database,
  pages: readonly { pageId: string; placements: readonly FoundPlacement[] }[],
  transaction: Transaction,
): Promise<void> {
  await rows(db, 'DELETE FROM placements WHERE page_id = ANY($1::uuid[])', [pages.map(({ pageId }) => pageId)], transaction)
  const found = pages.flatMap(({ pageId, placements }) => placements.map((each) => ({ page_id: pageId, ...each })))
  if (found.length === 0) return
  await rows(
    db,
    `INSERT INTO placements (page_id, ordinal, start_at, end_at, tag, shown_text, href, rel, target, by_hand, shows, base_href, base_target)
     SELECT page_id, ordinal, start, "end", tag, text, href, rel, target, "byHand", shows, "baseHref", "baseTarget"
     FROM jsonb_to_recordset($1::jsonb) AS x(page_id uuid, ordinal int, start int, "end" int, tag text, text text, href text, rel text, target text,
       "byHand" text, shows text, "baseHref" text, "baseTarget" text)`,
    [JSON.stringify(found, (_, value: unknown) => (typeof value === 'string' ? storable(value) : value))],
    transaction,
  )
}

/** A stored placement with the page it hangs on. */
export interface PlacementRow extends WrittenLink {
  readonly pageId: string
  readonly path: string
  readonly title: string
  readonly ordinal: number
  readonly start: number
  readonly tag: string
  readonly text: string
}

/** Placements in the order of path and place. `after` is the last one seen. */
export function listPlacements(
  db: Database,
  filter: { siteId: string; path?: string | undefined; after?: { path: string; ordinal: number } | undefined; limit?: number },
): Promise<PlacementRow[]> {
  const bind: unknown[] = [filter.siteId, filter.limit ?? null]
  const where = ['p.site_id = $1']
  if (filter.path !== undefined) where.push(`p.path = $${bind.push(filter.path)}`)
  if (filter.after !== undefined) {
    const [path, ordinal] = [`$${bind.push(filter.after.path)} COLLATE "C"`, `$${bind.push(filter.after.ordinal)}::int`]
    // The first condition follows from the second; the index only understands the first.
    where.push(`p.path COLLATE "C" >= ${path}`, `(p.path COLLATE "C", l.ordinal) > (${path}, ${ordinal})`)
  }
  return rows<PlacementRow>(
    db,
    `SELECT l.page_id AS "pageId", p.path, p.title, l.ordinal, l.start_at AS start, l.tag, l.shown_text AS text, l.href, l.rel, l.target, l.by_hand AS "byHand", l.shows,
       l.base_href AS "baseHref", l.base_target AS "baseTarget"
     FROM pages p JOIN placements l ON p.id = l.page_id
     WHERE ${where.join(' AND ')} ORDER BY p.path COLLATE "C", l.ordinal LIMIT $2`,
    bind,
  )
}

/** Every path that a page or file of the site has. */
export async function ownPaths(db: Database, siteId: string): Promise<Set<string>> {
  const found = await rows<{ path: string }>(
    db,
    'SELECT path FROM pages WHERE site_id = $1 UNION SELECT path FROM files WHERE site_id = $1',
    [siteId],
  )
  return new Set(found.map(({ path }) => path))
}

/** Differs whenever what is known of a site's links may differ: a draft was changed, or rules, partners, short links. */
export async function contentStamp(db: Database, siteId: string): Promise<string> {
  const [row] = await rows<{ stamp: string }>(
    db,
    `SELECT concat_ws(' ', (SELECT version FROM snapshot_state), count(*), sum(version), max(updated_at)) AS stamp FROM pages WHERE site_id = $1`,
    [siteId],
  )
  return row?.stamp ?? ''
}
