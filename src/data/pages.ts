import { type NewContent, putContents } from './contents.ts'
import { type Database, rows, storable, type Transaction } from './database.ts'
import { deriveFrom } from './derived.ts'
import { count, isNot, NOW, remove, select, selectOne, update } from './plain.ts'
import { dropHalfWay, keepRevisions } from './revisions.ts'
import { files, type PageKind, pages, selected, type PageRow as WholePage } from './tables/index.ts'

const PAGE = [
  'id',
  'siteId',
  'kind',
  'path',
  'sourceName',
  'title',
  'encoding',
  'draftHash',
  'liveHash',
  'liveEncoding',
  'importHash',
  'draftAt',
  'liveAt',
  'editedBy',
  'writtenFor',
  'tags',
  'originKind',
  'originHash',
  'removedAt',
  'version',
] as const
export type PageRow = Pick<WholePage, (typeof PAGE)[number]>
/** Of `pages p`, as a {@link PageRow}. */
export const PAGE_COLUMNS = selected(pages, PAGE, 'p')

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
  const [counted] = await rows<{ total: number }>(db, `SELECT count(*)::int AS total FROM pages p WHERE ${where.join(' AND ')}`, bind)
  if (filter.after !== undefined) also((n) => `p.path > ${n} COLLATE "C"`, filter.after)
  bind.push(filter.limit)
  const items = await rows<ListedPage>(db, `${LISTED} WHERE ${where.join(' AND ')} ORDER BY p.path COLLATE "C" LIMIT $${bind.length}`, bind)
  return { items, total: counted?.total ?? 0 }
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
  const newest = { id: pageId, version }
  if (isRemoved && (await remove(db, pages, { ...newest, liveHash: null }, transaction)) > 0) return true
  const change = { removedAt: isRemoved ? NOW : null, updatedAt: NOW, version: version + 1 }
  return (await update(db, pages, change, newest, transaction)) === 0 ? null : false
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
  const isTaken =
    (await count(db, pages, { siteId, path, id: isNot(id) }, transaction)) + (await count(db, files, { siteId, path }, transaction)) > 0
  if (isTaken) return 'path-taken'
  const change = { path, sourceName: storable(sourceName), version: version + 1, updatedAt: NOW }
  if ((await update(db, pages, change, { id, siteId, version }, transaction)) === 0) return 'moved-on'
  await keepRevisions(db, [id], { madeBy: 'move', personId }, transaction)
  return 'moved'
}

/** How many pages a site has, without blocks and menus. */
export const countPages = (db: Database, siteId: string): Promise<number> => count(db, pages, { siteId, kind: 'page' })

/** The titles of all pages, by path. */
export const titlesByPath = (db: Database, siteId: string): Promise<{ path: string; title: string }[]> =>
  select(db, pages, ['path', 'title'], { siteId, kind: 'page', removedAt: null })

/** The content of a page's draft, as it is kept. @returns null when there is no such page */
export async function draftName(db: Database, id: string): Promise<{ hash: string; encoding: string } | null> {
  const page = await selectOne(db, pages, ['draftHash', 'encoding'], { id })
  return page === null ? null : { hash: page.draftHash, encoding: page.encoding }
}

/** The id of the page at a path, gone ones too. */
export async function pageIdAt(db: Database, siteId: string, path: string, transaction?: Transaction): Promise<string | null> {
  return (await selectOne(db, pages, ['id'], { siteId, path }, { transaction }))?.id ?? null
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
  select(db, pages, ['id', 'version'], { siteId, kind: 'page', removedAt: null }, { order: [['path', 'ASC']], limit })

/** {@link draftVersions} of certain pages. */
export const draftVersionsOf = (db: Database, siteId: string, ids: readonly string[]): Promise<{ id: string; version: number }[]> =>
  select(db, pages, ['id', 'version'], { siteId, id: ids }, { order: [['path', 'ASC']] })
