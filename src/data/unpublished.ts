import { type Database, rows } from './database.ts'
import type { PageKind } from './tables/index.ts'

export interface UnpublishedPage {
  readonly id: string
  readonly kind: PageKind
  readonly path: string
  readonly title: string
  readonly isNew: boolean
  readonly isRemoved: boolean
  readonly by: string | null
  readonly byId: string | null
  readonly at: Date
  readonly links: number
  readonly draftHash: string
  readonly encoding: string
  readonly liveHash: string | null
  readonly liveEncoding: string | null
}

/** A draft that differs, or a live page that is to go. */
export const PAGE_DIFFERS = `(p.live_hash IS DISTINCT FROM p.draft_hash AND p.removed_at IS NULL OR p.removed_at IS NOT NULL AND p.live_hash IS NOT NULL)`

export const FILE_DIFFERS = `(f.live_hash IS DISTINCT FROM f.draft_hash AND f.removed_at IS NULL OR f.removed_at IS NOT NULL AND f.live_hash IS NOT NULL)`

const PAGE_COLUMNS = `p.id, p.kind, p.path, p.title, p.live_hash IS NULL AS "isNew", p.removed_at IS NOT NULL AS "isRemoved",
  (SELECT name FROM people WHERE people.id = p.edited_by) AS by, p.edited_by AS "byId", p.draft_at AS at, (SELECT count(*)::int FROM placements l WHERE l.page_id = p.id) AS links,
  p.draft_hash AS "draftHash", p.encoding, p.live_hash AS "liveHash", p.live_encoding AS "liveEncoding"`

export async function unpublishedPages(db: Database, siteId: string, limit: number): Promise<{ pages: UnpublishedPage[]; total: number }> {
  const where = `p.site_id = $1 AND ${PAGE_DIFFERS}`
  const pages = await rows<UnpublishedPage>(
    db,
    `SELECT ${PAGE_COLUMNS} FROM pages p WHERE ${where} ORDER BY p.draft_at DESC, p.path LIMIT $2`,
    [siteId, limit],
  )
  const [count] = await rows<{ total: number }>(db, `SELECT count(*)::int AS total FROM pages p WHERE ${where}`, [siteId])
  return { pages, total: count?.total ?? 0 }
}

/** One page, block or menu with what is live of it; null when there is none. */
export async function findUnpublished(db: Database, siteId: string, id: string): Promise<UnpublishedPage | null> {
  const [page] = await rows<UnpublishedPage>(db, `SELECT ${PAGE_COLUMNS} FROM pages p WHERE p.site_id = $1 AND p.id = $2`, [siteId, id])
  return page ?? null
}

/** Files that differ, by path. */
export async function unpublishedFilePaths(db: Database, siteId: string, limit: number): Promise<string[]> {
  const found = await rows<{ path: string }>(
    db,
    `SELECT f.path FROM files f WHERE f.site_id = $1 AND ${FILE_DIFFERS} ORDER BY f.path LIMIT $2`,
    [siteId, limit],
  )
  return found.map(({ path }) => path)
}

export async function unpublishedFiles(db: Database, siteId: string): Promise<number> {
  const [count] = await rows<{ total: number }>(db, `SELECT count(*)::int AS total FROM files f WHERE f.site_id = $1 AND ${FILE_DIFFERS}`, [
    siteId,
  ])
  return count?.total ?? 0
}
