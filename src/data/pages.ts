import type { Transaction } from 'sequelize'
import type { FoundPlacement, PageNotes } from '../core/content/index.ts'
import type { WrittenLink } from '../core/rules/index.ts'
import { type Database, jsonOf, rows, storable } from './database.ts'
import type { PageKind, PageRow } from './models.ts'

/** Keeps contents by their hash; those already kept are left as they are. */
export async function putBlobs(
  db: Database,
  blobs: readonly ({ hash: string; bytes: Uint8Array } & Partial<PageNotes>)[],
  transaction: Transaction,
): Promise<void> {
  for (const { hash, bytes, tags = [], writtenFor = null } of blobs) {
    await rows(
      db,
      'INSERT INTO blobs (hash, bytes, tags, written_for) VALUES ($1, $2, $3::text[], $4::uuid) ON CONFLICT (hash) DO UPDATE SET created_at = now()',
      [hash, Buffer.from(bytes), tags.map(storable), writtenFor],
      transaction,
    )
  }
}

/** @returns null when nothing is kept under that hash */
export async function getBlob(db: Database, hash: string): Promise<Buffer | null> {
  const [row] = await rows<{ bytes: Buffer }>(db, 'SELECT bytes FROM blobs WHERE hash = $1', [hash])
  return row?.bytes ?? null
}

/** A page's content with what is said of it. @returns null when nothing is kept under that hash */
export async function getContent(db: Database, hash: string): Promise<({ readonly bytes: Buffer } & PageNotes) | null> {
  const [row] = await rows<{ bytes: Buffer } & PageNotes>(
    db,
    'SELECT bytes, tags, written_for AS "writtenFor" FROM blobs WHERE hash = $1',
    [hash],
  )
  return row ?? null
}

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

/** A page's new content, read and hashed. */
export interface NewContent extends PageNotes {
  readonly hash: string
  readonly bytes: Uint8Array
  readonly encoding: string
  readonly title: string
  readonly placements: readonly FoundPlacement[]
  readonly words: number
  readonly uses: readonly string[]
}

/** Edits of one person this close together are one revision: nobody wants to go back to half a word. */
const ONE_REVISION_MINUTES = 5

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
  await putBlobs(db, [content], transaction)
  const [row] = await rows<{ version: number }>(
    db,
    `UPDATE pages SET draft_hash = $3, encoding = $4, title = $5, edited_by = $6, draft_at = now(), updated_at = now(), version = version + 1,
       written_for = $7, tags = $8::text[], removed_at = NULL WHERE id = $1 AND version = $2 RETURNING version`,
    [pageId, version, content.hash, content.encoding, storable(content.title), personId, content.writtenFor, content.tags.map(storable)],
    transaction,
  )
  if (row === undefined) return null
  if (madeBy === 'edit') await dropHalfWay(db, pageId, version, personId, transaction)
  await keepRevision(db, pageId, madeBy, personId, transaction)
  await deriveFrom(db, pageId, content, transaction)
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
    `INSERT INTO pages (site_id, path, source_name, title, encoding, draft_hash, import_hash, edited_by, written_for, tags) VALUES ($1, $2, $3, $4, $5, $6, $6, $7, $8, $9::text[])
     ON CONFLICT (site_id, path) DO UPDATE SET written_for = $8, tags = $9::text[], removed_at = NULL, source_name = $3, title = $4, encoding = $5, draft_hash = $6, import_hash = $6, edited_by = $7,
       draft_at = now(), updated_at = now(), version = pages.version + 1 RETURNING id`,
    [
      siteId,
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
  const id = row?.id ?? ''
  await keepRevision(db, id, 'import', personId, transaction)
  await deriveFrom(db, id, content, transaction)
  return id
}

/** Notes down what an imported page was made of; null for a page that came as HTML. */
export async function setOrigin(
  db: Database,
  pageId: string,
  origin: { kind: 'markdown'; hash: string; bytes: Uint8Array } | null,
  transaction: Transaction,
): Promise<void> {
  if (origin !== null) await putBlobs(db, [origin], transaction)
  await rows(
    db,
    'UPDATE pages SET origin_kind = $2, origin_hash = $3 WHERE id = $1',
    [pageId, origin?.kind ?? null, origin?.hash ?? null],
    transaction,
  )
}

/** Adds a page, block or menu that was made here. @returns null when something has that path */
export async function insertPage(
  db: Database,
  page: { siteId: string; kind: PageKind; path: string; sourceName: string; content: NewContent; personId: string },
  transaction: Transaction,
): Promise<string | null> {
  const { siteId, kind, path, sourceName, content, personId } = page
  await putBlobs(db, [content], transaction)
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
  await keepRevision(db, row.id, 'new', personId, transaction)
  await deriveFrom(db, row.id, content, transaction)
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

/** Takes out the revision before this one, when the same person made it a moment ago and nothing else points to it. */
async function dropHalfWay(db: Database, pageId: string, before: number, personId: string, transaction: Transaction): Promise<void> {
  await rows(
    db,
    `DELETE FROM page_revisions r USING pages p WHERE r.page_id = $1 AND r.version = $2 AND p.id = $1 AND r.made_by = 'edit' AND r.person_id = $3
       AND r.hash IS DISTINCT FROM p.live_hash AND r.created_at > now() - make_interval(mins => $4)
       AND EXISTS (SELECT 1 FROM page_revisions o WHERE o.page_id = $1 AND o.version < $2 AND o.person_id = $3 AND o.created_at > now() - make_interval(mins => $4))`,
    [pageId, before, personId, ONE_REVISION_MINUTES],
    transaction,
  )
}

/** Derives what is kept about a content besides itself. */
export async function deriveFrom(db: Database, pageId: string, content: NewContent, transaction: Transaction): Promise<void> {
  await replacePlacements(db, [{ pageId, ...content }], transaction)
  await replaceUses(db, pageId, content.uses, transaction)
}

/** Writes down anew which files a page names. */
export async function replaceUses(db: Database, pageId: string, uses: readonly string[], transaction: Transaction): Promise<void> {
  await rows(db, 'DELETE FROM file_uses WHERE page_id = $1', [pageId], transaction)
  if (uses.length > 0)
    await rows(
      db,
      'INSERT INTO file_uses (page_id, path) SELECT $1, unnest($2::text[]) ON CONFLICT DO NOTHING',
      [pageId, uses.map(storable)],
      transaction,
    )
}

/** A version of a page, block or menu. */
export interface RevisionRow {
  readonly version: number
  readonly hash: string
  readonly encoding: string
  readonly title: string
  readonly madeBy: string
  readonly by: string | null
  readonly at: Date
  /** What readers see now. */
  readonly isLive: boolean
}

/** Versions, newest first. */
export function listRevisions(db: Database, pageId: string, version: number | null, limit: number): Promise<RevisionRow[]> {
  return rows<RevisionRow>(
    db,
    `SELECT r.version, r.hash, r.encoding, r.title, r.made_by AS "madeBy", (SELECT name FROM people WHERE people.id = r.person_id) AS by, r.created_at AS at,
       r.hash = p.live_hash AS "isLive" FROM page_revisions r JOIN pages p ON p.id = r.page_id
     WHERE r.page_id = $1 AND ($2::int IS NULL OR r.version = $2) ORDER BY r.version DESC LIMIT $3`,
    [pageId, version, limit],
  )
}

/** Every page, block and menu that names one of these files. */
export function usesOfFile(
  db: Database,
  siteId: string,
  spellings: readonly string[],
  limit: number,
): Promise<{ id: string; kind: PageKind; path: string; title: string }[]> {
  return rows(
    db,
    `SELECT DISTINCT p.id, p.kind, p.path, p.title FROM file_uses u JOIN pages p ON p.id = u.page_id
     WHERE p.site_id = $1 AND u.path = ANY($2::text[]) AND p.removed_at IS NULL ORDER BY p.path LIMIT $3`,
    [siteId, spellings, limit],
  )
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
  pages: readonly { pageId: string; placements: readonly FoundPlacement[]; words: number }[],
  transaction: Transaction,
): Promise<void> {
  await rows(
    db,
    'UPDATE pages p SET words = x.words FROM unnest($1::uuid[], $2::int[]) AS x(id, words) WHERE p.id = x.id',
    [pages.map(({ pageId }) => pageId), pages.map(({ words }) => words)],
    transaction,
  )
  await rows(db, 'DELETE FROM placements WHERE page_id = ANY($1::uuid[])', [pages.map(({ pageId }) => pageId)], transaction)
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

/** Every path that a page or file of the site has. */
export async function ownPaths(db: Database, siteId: string): Promise<Set<string>> {
  const found = await rows<{ path: string }>(
    db,
    `SELECT path FROM pages WHERE site_id = $1 AND kind = 'page' AND removed_at IS NULL UNION SELECT path FROM files WHERE site_id = $1 AND removed_at IS NULL`,
    [siteId],
  )
  return new Set(found.map(({ path }) => path))
}

/** The paths of some pages and files, gone ones too, and whether there is a page or file at each now. What was deleted is left out. */
export function pathsOf(db: Database, siteId: string, ids: readonly string[]): Promise<{ id: string; path: string; isHere: boolean }[]> {
  return rows(
    db,
    `SELECT w.id, w.path, EXISTS (SELECT FROM pages p WHERE p.site_id = $1 AND p.kind = 'page' AND p.path = w.path AND p.removed_at IS NULL)
         OR EXISTS (SELECT FROM files f WHERE f.site_id = $1 AND f.path = w.path AND f.removed_at IS NULL) AS "isHere"
     FROM (SELECT id, path FROM pages WHERE site_id = $1 AND id = ANY($2::uuid[])
           UNION ALL SELECT id, path FROM files WHERE site_id = $1 AND id = ANY($2::uuid[])) w`,
    [siteId, ids],
  )
}

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
