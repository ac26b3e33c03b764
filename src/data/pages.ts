import type { Transaction } from 'sequelize'
import { type NewContent, putContents } from './contents.ts'
import { type Database, rows, storable } from './database.ts'
import { deriveFrom } from './derived.ts'
import type { PageKind, PageRow } from './models.ts'
import { dropHalfWay, keepRevisions } from './revisions.ts'

/** Of `pages p`, as a {@link PageRow}. */
export const PAGE_COLUMNS = `p.id, p.site_id AS "siteId", p.path, p.source_name AS "sourceName", p.title, p.encoding, p.draft_hash AS "draftHash", p.live_hash AS "liveHash",
  p.live_encoding AS "liveEncoding", p.import_hash AS "importHash", p.draft_at AS "draftAt", p.live_at AS "liveAt", p.edited_by AS "editedBy", p.kind, p.written_for AS "writtenFor", p.tags, p.origin_kind AS "originKind", p.origin_hash AS "originHash", p.removed_at AS "removedAt", p.version`

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
  /** Pages where it is left out. */
  readonly kind?: PageKind | undefined
  /** Path after which the list goes on. */
  readonly after?: string | undefined
  readonly limit: number
}

/** Taken away and published so: kept for its history, and shown nowhere. */
const IS_HERE = '(p.removed_at IS NULL OR p.live_hash IS NOT NULL)'

/** Pages in the order of their paths. */
export async function listPages(db: Database, filter: PageFilter): Promise<{ items: ListedPage[]; total: number }> {
  const bind: unknown[] = [filter.siteId]
  const where = ['p.site_id = $1', `p.kind = '${filter.kind ?? 'page'}'`, IS_HERE]
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

/** Puts a draft on top of `version`, with revision and placements. @returns null when `version` is not the newest */
export async function updateDraft(
  db: Database,
  {
    pageId,
    version,
    content,
    personId,
    madeBy = 'edit',
  }: { pageId: string; version: number; content: NewContent; personId: string; madeBy?: string },
  transaction: Transaction,
): Promise<number | null> {
  await putContents(db, [content], transaction)
  const [row] = await rows<{ version: number }>(
    db,
    `UPDATE pages SET draft_hash = $3, encoding = $4, title = $5, edited_by = $6, draft_at = now(), updated_at = now(), version = version + 1,
       written_for = $7, tags = $8::text[], removed_at = NULL WHERE id = $1 AND version = $2 RETURNING version`,
    [pageId, version, content.hash, content.encoding, storable(content.title), personId, content.writtenFor, content.tags.map(storable)],
    transaction,
  )
  if (row === undefined) return null
  if (madeBy === 'edit') await dropHalfWay(db, pageId, version, personId, transaction)
  await keepRevisions(db, [pageId], { madeBy, personId }, transaction)
  await deriveFrom(db, [{ pageId: pageId, content }], transaction)
  return row.version
}

/** Adds a page, block or menu that was made here. @returns null when something has that path */
export async function insertPage(
  db: Database,
  page: { siteId: string; kind: PageKind; path: string; sourceName: string; content: NewContent; personId: string },
  transaction: Transaction,
): Promise<string | null> {
  const { siteId, kind, path, sourceName, content, personId } = page
  await putContents(db, [content], transaction)
  const [row] = await rows<{ id: string }>(
    db,
    `INSERT INTO pages (site_id, kind, path, source_name, title, encoding, draft_hash, edited_by, written_for, tags)
     SELECT $1, $2, $3, $4, $5, $6, $7, $8, $9, $10::text[] WHERE NOT EXISTS (SELECT 1 FROM files WHERE site_id = $1 AND path = $3)
     ON CONFLICT (site_id, path) DO UPDATE SET source_name = $4, title = $5, encoding = $6, draft_hash = $7, edited_by = $8, written_for = $9, tags = $10::text[],
       removed_at = NULL, draft_at = now(), updated_at = now(), version = pages.version + 1
       WHERE pages.removed_at IS NOT NULL AND pages.live_hash IS NULL RETURNING id`,
    [
      siteId,
      kind,
      path,
      storable(sourceName),
      storable(content.title),
      content.encoding,
      content.hash,
      personId,
      content.writtenFor,
      content.tags.map(storable),
    ],
    transaction,
  )
  if (row === undefined) return null
  await keepRevisions(db, [row.id], { madeBy: 'new', personId }, transaction)
  await deriveFrom(db, [{ pageId: row.id, content }], transaction)
  return row.id
}

/**
 * Marks a page, block or menu as taken away with the next publication, or takes the mark off. One that was never
 * published goes at once. @returns null when `version` is not the newest
 */
export async function markRemoved(
  db: Database,
  { pageId, version, isRemoved }: { pageId: string; version: number; isRemoved: boolean },
  transaction: Transaction,
): Promise<boolean | null> {
  const [gone] = isRemoved
    ? await rows(db, 'DELETE FROM pages WHERE id = $1 AND version = $2 AND live_hash IS NULL RETURNING id', [pageId, version], transaction)
    : []
  if (gone !== undefined) return true
  const [row] = await rows(
    db,
    `UPDATE pages SET removed_at = CASE WHEN $3 THEN now() END, updated_at = now(), version = version + 1 WHERE id = $1 AND version = $2 RETURNING id`,
    [pageId, version, isRemoved],
    transaction,
  )
  return row === undefined ? null : false
}

/** Gives a page another path. @returns 'moved-on' when `version` is not the newest, 'path-taken' when something has that path */
export async function movePage(
  db: Database,
  {
    siteId,
    id,
    version,
    path,
    sourceName,
    personId,
  }: { siteId: string; id: string; version: number; path: string; sourceName: string; personId: string },
  transaction: Transaction,
): Promise<'moved' | 'moved-on' | 'path-taken'> {
  const [taken] = await rows(
    db,
    `SELECT 1 AS found FROM pages WHERE site_id = $1 AND path = $2 AND id <> $3 UNION SELECT 1 FROM files WHERE site_id = $1 AND path = $2`,
    [siteId, path, id],
    transaction,
  )
  if (taken !== undefined) return 'path-taken'
  const moved = await rows(
    db,
    `UPDATE pages SET path = $4, source_name = $5, version = version + 1, updated_at = now() WHERE id = $1 AND site_id = $2 AND version = $3 RETURNING id`,
    [id, siteId, version, path, storable(sourceName)],
    transaction,
  )
  if (moved.length === 0) return 'moved-on'
  await keepRevisions(db, [id], { madeBy: 'move', personId }, transaction)
  return 'moved'
}

/** How many pages a site has, without blocks and menus. */
export async function countPages(db: Database, siteId: string): Promise<number> {
  const [count] = await rows<{ pages: number }>(db, "SELECT count(*)::int AS pages FROM pages WHERE site_id = $1 AND kind = 'page'", [
    siteId,
  ])
  return count?.pages ?? 0
}

/** The titles of all pages, by path. */
export function titlesByPath(db: Database, siteId: string): Promise<{ path: string; title: string }[]> {
  return rows(db, `SELECT path, title FROM pages WHERE site_id = $1 AND kind = 'page' AND removed_at IS NULL`, [siteId])
}

/** The content of a page's draft, as it is kept. @returns null when there is no such page */
export async function draftName(db: Database, id: string): Promise<{ hash: string; encoding: string } | null> {
  const [row] = await rows<{ hash: string; encoding: string }>(db, 'SELECT draft_hash AS hash, encoding FROM pages WHERE id = $1', [id])
  return row ?? null
}

/** The id of the page at a path, gone ones too. */
export async function pageIdAt(db: Database, siteId: string, path: string, transaction?: Transaction): Promise<string | null> {
  const [page] = await rows<{ id: string }>(db, 'SELECT id FROM pages WHERE site_id = $1 AND path = $2', [siteId, path], transaction)
  return page?.id ?? null
}

/** Drafts whose bytes hold a text somewhere, by path: whether it means anything there is for the caller to say. */
export function draftsHolding(
  db: Database,
  siteId: string,
  text: string,
): Promise<{ id: string; title: string; path: string; bytes: Buffer; encoding: string }[]> {
  return rows(
    db,
    `SELECT p.id, p.title, p.path, b.bytes, p.encoding FROM pages p JOIN blobs b ON b.hash = p.draft_hash
     WHERE p.site_id = $1 AND p.removed_at IS NULL AND position(convert_to($2, 'UTF8') IN b.bytes) > 0 ORDER BY p.path`,
    [siteId, text],
  )
}

/** Paths of live pages whose bytes hold a text somewhere. */
export async function livePathsHolding(db: Database, siteId: string, text: string, limit: number): Promise<string[]> {
  const found = await rows<{ path: string }>(
    db,
    `SELECT p.path FROM pages p JOIN blobs b ON b.hash = p.live_hash
     WHERE p.site_id = $1 AND p.kind = 'page' AND position(convert_to($2, 'UTF8') IN b.bytes) > 0 ORDER BY p.path LIMIT $3`,
    [siteId, text, limit],
  )
  return found.map(({ path }) => path)
}

/** Pages that people write, by path, each with the version of its draft; neither menus nor shared blocks. */
export const draftVersions = (db: Database, siteId: string, limit: number): Promise<{ id: string; version: number }[]> =>
  rows(db, `SELECT id, version FROM pages WHERE site_id = $1 AND kind = 'page' AND removed_at IS NULL ORDER BY path LIMIT $2`, [
    siteId,
    limit,
  ])

/** {@link draftVersions} of certain pages. */
export const draftVersionsOf = (db: Database, siteId: string, ids: readonly string[]): Promise<{ id: string; version: number }[]> =>
  rows(db, 'SELECT id, version FROM pages WHERE site_id = $1 AND id = ANY($2::uuid[]) ORDER BY path', [siteId, ids])
