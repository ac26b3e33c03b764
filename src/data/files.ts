import { putContents } from './contents.ts'
import { type Database, rows, storable, type Transaction } from './database.ts'
import { NOW, select, selectOne, update } from './plain.ts'
import { files, type PageKind, selected, type FileRow as WholeFile } from './tables/index.ts'

export interface NewFile {
  readonly siteId: string
  readonly path: string
  readonly mediaType: string
  readonly hash: string
  readonly bytes: Uint8Array
  readonly personId?: string | null
  /** The import that brings it. */
  readonly step?: string
}

/** Puts a file in its place. Like a page it is a draft: readers get it with the next publication. What it replaces is kept. */
export async function upsertFile(
  db: Database,
  { siteId, path, mediaType, hash, bytes, personId, step }: NewFile,
  transaction: Transaction,
): Promise<string> {
  await putContents(db, [{ hash, bytes }], transaction)
  const [row] = await rows<{ id: string }>(
    db,
    `INSERT INTO files (site_id, path, media_type, bytes, draft_hash) VALUES ($1, $2, $3, $4, $5)
     ON CONFLICT (site_id, path) DO UPDATE SET media_type = $3, bytes = $4, draft_hash = $5, updated_at = now(), version = files.version + 1,
       removed_at = NULL RETURNING id`,
    [siteId, storable(path), mediaType, bytes.length, hash],
    transaction,
  )
  const id = row?.id ?? ''
  await rows(
    db,
    `INSERT INTO file_revisions (file_id, version, hash, media_type, bytes, person_id, step_id)
     SELECT id, version, draft_hash, media_type, bytes, $2, $3 FROM files WHERE id = $1 ON CONFLICT DO NOTHING`,
    [id, personId ?? null, step ?? null],
    transaction,
  )
  return id
}

/** A file as it stands in the studio, by the path it is asked for. */
export async function findDraftFile(db: Database, siteId: string, path: string): Promise<{ hash: string; mediaType: string } | null> {
  const file = await selectOne(db, files, ['draftHash', 'mediaType'], { siteId, path: storable(path), removedAt: null })
  return file === null ? null : { hash: file.draftHash, mediaType: file.mediaType }
}

/** What is kept by path: enough to tell new from changed. */
export async function fileHashes(db: Database, siteId: string): Promise<{ path: string; hash: string }[]> {
  const found = await select(db, files, ['path', 'draftHash'], { siteId, removedAt: null })
  return found.map(({ path, draftHash }) => ({ path, hash: draftHash }))
}

const FIELDS = ['id', 'siteId', 'path', 'mediaType', 'bytes', 'draftHash', 'liveHash', 'removedAt', 'version'] as const
export type FileRow = Pick<WholeFile, (typeof FIELDS)[number]>
const FILE = selected(files, FIELDS, 'f')
const IS_HERE = '(f.removed_at IS NULL OR f.live_hash IS NOT NULL)'

/** Every file of a site that readers or drafts can name. */
export function listFiles(db: Database, siteId: string): Promise<FileRow[]> {
  return rows<FileRow>(db, `SELECT ${FILE} FROM files f WHERE f.site_id = $1 AND ${IS_HERE} ORDER BY f.path`, [siteId])
}

/** A file with how many pages, blocks and menus name it. */
export interface ListedFile extends FileRow {
  readonly usedOn: number
}

/** Files in the order of their paths. @param hosts - of the site: a page may name a file with its host */
export async function searchFiles(
  db: Database,
  filter: {
    siteId: string
    hosts: readonly string[]
    id?: string | undefined
    search?: string | undefined
    after?: string | undefined
    limit: number
  },
): Promise<{ items: ListedFile[]; total: number }> {
  const bind: unknown[] = [filter.siteId]
  const where = ['f.site_id = $1', IS_HERE]
  if (filter.id !== undefined) where.push(`f.id = $${bind.push(filter.id)}`)
  for (const word of (filter.search ?? '').split(/\s+/).filter((each) => each !== ''))
    where.push(`f.path ILIKE $${bind.push(`%${word.replace(/[\\%_]/g, '\\$&')}%`)}`)
  const [count] = await rows<{ total: number }>(db, `SELECT count(*)::int AS total FROM files f WHERE ${where.join(' AND ')}`, bind)
  if (filter.after !== undefined) where.push(`f.path > $${bind.push(filter.after)} COLLATE "C"`)
  const hosts = `$${bind.push(filter.hosts)}::text[]`
  const items = await rows<ListedFile>(
    db,
    `SELECT ${FILE}, (SELECT count(DISTINCT u.page_id)::int FROM file_uses u JOIN pages p ON p.id = u.page_id
       WHERE p.site_id = $1 AND p.removed_at IS NULL AND (u.path = f.path OR u.path = ANY(SELECT '//' || h || f.path FROM unnest(${hosts}) h))) AS "usedOn"
     FROM files f WHERE ${where.join(' AND ')} ORDER BY f.path COLLATE "C" LIMIT $${bind.push(filter.limit)}`,
    bind,
  )
  return { items, total: count?.total ?? 0 }
}

/** Marks a file as taken away with the next publication, or takes the mark off. @returns false when `version` is not the newest */
export async function markFileRemoved(
  db: Database,
  { id, version, isRemoved }: { id: string; version: number; isRemoved: boolean },
  transaction: Transaction,
): Promise<boolean> {
  const change = { removedAt: isRemoved ? NOW : null, updatedAt: NOW, version: version + 1 }
  return (await update(db, files, change, { id, version }, transaction)) > 0
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

/** What is kept at a path: the hash of a file's draft, "" for a page; null where the path is free. */
export async function hashAt(db: Database, siteId: string, path: string): Promise<string | null> {
  const [taken] = await rows<{ hash: string }>(
    db,
    `SELECT draft_hash AS hash FROM files WHERE site_id = $1 AND path = $2 AND (removed_at IS NULL OR live_hash IS NOT NULL)
     UNION ALL SELECT '' FROM pages WHERE site_id = $1 AND path = $2`,
    [siteId, path],
  )
  return taken?.hash ?? null
}
