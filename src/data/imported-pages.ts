import type { PageNotes } from '../core/content/index.ts'
import { type NewContent, putContents } from './contents.ts'
import { type Database, jsonOf, rows, storable, type Transaction } from './database.ts'
import { deriveFrom } from './derived.ts'
import { keepRevisions } from './revisions.ts'

/** A page as an import brings it. */
export interface ImportedPage {
  readonly path: string
  readonly sourceName: string
  readonly content: NewContent
  /** The Markdown file that it was made of; null for a page that came as HTML. */
  readonly origin: { readonly hash: string; readonly bytes: Uint8Array } | null
}

/**
 * Puts imported pages in their places, new or over those of the same paths, with revisions and what is derived of them.
 * @param pages - no path twice
 * @returns their ids, in the same order
 */
export async function upsertImported(
  db: Database,
  { siteId, personId, step, pages }: { siteId: string; personId: string | null; step: string; pages: readonly ImportedPage[] },
  transaction: Transaction,
): Promise<string[]> {
  await putContents(
    db,
    pages.flatMap(({ content, origin }) => (origin === null ? [content] : [content, origin])),
    transaction,
  )
  const brought = pages.map(({ path, sourceName, content, origin }) => ({
    path,
    source: storable(sourceName),
    title: storable(content.title),
    encoding: content.encoding,
    hash: content.hash,
    for: content.writtenFor,
    tags: content.tags.map(storable),
    origin: origin?.hash ?? null,
  }))
  const found = await rows<{ id: string; path: string }>(
    db,
    `INSERT INTO pages (site_id, edited_by, path, source_name, title, encoding, draft_hash, import_hash, written_for, tags, origin_kind, origin_hash)
     SELECT $1, $2, path, source, title, encoding, hash, hash, "for", ARRAY(SELECT jsonb_array_elements_text(tags)), CASE WHEN origin IS NOT NULL THEN 'markdown' END, origin
     FROM jsonb_to_recordset($3::jsonb) AS x(path text, source text, title text, encoding text, hash text, "for" uuid, tags jsonb, origin text)
     ON CONFLICT (site_id, path) DO UPDATE SET edited_by = excluded.edited_by, source_name = excluded.source_name, title = excluded.title, encoding = excluded.encoding,
       draft_hash = excluded.draft_hash, import_hash = excluded.import_hash, written_for = excluded.written_for, tags = excluded.tags,
       origin_kind = excluded.origin_kind, origin_hash = excluded.origin_hash,
       removed_at = NULL, draft_at = now(), updated_at = now(), version = pages.version + 1 RETURNING id, path`,
    [siteId, personId, jsonOf(brought)],
    transaction,
  )
  const idByPath = new Map(found.map(({ id, path }) => [path, id]))
  const ids = pages.map(({ path }) => idByPath.get(path) ?? '')
  await keepRevisions(db, ids, { madeBy: 'import', personId, step }, transaction)
  await deriveFrom(
    db,
    pages.map(({ content }, i) => ({ pageId: ids[i] ?? '', content })),
    transaction,
  )
  return ids
}

/** What an import compares with what it brings. */
export interface BroughtPage extends PageNotes {
  readonly path: string
  readonly hash: string
  /** Of the last version that an import brought. */
  readonly importHash: string | null
  readonly originHash: string | null
}

/** The pages of a site, as an import compares them. */
export function broughtPages(db: Database, siteId: string): Promise<BroughtPage[]> {
  return rows<BroughtPage>(
    db,
    `SELECT path, draft_hash AS hash, import_hash AS "importHash", origin_hash AS "originHash", tags, written_for AS "writtenFor"
     FROM pages WHERE site_id = $1 AND kind = 'page' AND removed_at IS NULL`,
    [siteId],
  )
}

/** The front page of a site, or where it has none its first page by path; null where it has no page. */
export async function frontPageOf(db: Database, siteId: string): Promise<{ path: string; hash: string; encoding: string } | null> {
  const [page] = await rows<{ path: string; hash: string; encoding: string }>(
    db,
    `SELECT path, draft_hash AS hash, encoding FROM pages WHERE site_id = $1 AND kind = 'page' AND removed_at IS NULL ORDER BY path <> '/', path LIMIT 1`,
    [siteId],
  )
  return page ?? null
}

/** Of an import, as a condition: whether anything of it has come in. */
export const broughtBy = (step: string): string =>
  `(EXISTS (SELECT FROM page_revisions b WHERE b.step_id = ${step}) OR EXISTS (SELECT FROM file_revisions b WHERE b.step_id = ${step}))`

/** What an import has brought so far, by path: whether that was new. One whose process ended goes on behind it. */
export async function broughtSoFar(db: Database, step: string): Promise<ReadonlyMap<string, 'new' | 'changed'>> {
  const found = await rows<{ path: string; isNew: boolean }>(
    db,
    `SELECT p.path, NOT EXISTS (SELECT FROM page_revisions b WHERE b.page_id = p.id AND b.version < v.version) AS "isNew"
       FROM page_revisions v JOIN pages p ON p.id = v.page_id WHERE v.step_id = $1
     UNION ALL SELECT f.path, NOT EXISTS (SELECT FROM file_revisions b WHERE b.file_id = f.id AND b.version < v.version)
       FROM file_revisions v JOIN files f ON f.id = v.file_id WHERE v.step_id = $1`,
    [step],
  )
  return new Map(found.map(({ path, isNew }) => [path, isNew ? 'new' : 'changed']))
}

/** Whether anything of an import is there. */
export async function hasBrought(db: Database, step: string): Promise<boolean> {
  const [found] = await rows<{ has: boolean }>(db, `SELECT ${broughtBy('$1')} AS has`, [step])
  return found?.has === true
}
