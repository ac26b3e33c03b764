import type { Transaction } from 'sequelize'
import { type Database, rows } from './database.ts'
import type { FileRow } from './models.ts'
import { putBlobs, storable } from './pages.ts'

/**
 * Puts an imported file in its place. A new one answers at once, so that drafts are shown with their styles and pictures
 * (no live page names it yet); one that replaces a live file waits for the next publication.
 */
export async function upsertFile(
  db: Database,
  { siteId, path, mediaType, hash, bytes }: { siteId: string; path: string; mediaType: string; hash: string; bytes: Uint8Array },
  transaction: Transaction,
): Promise<void> {
  await putBlobs(db, [{ hash, bytes }], transaction)
  await rows(
    db,
    `INSERT INTO files (site_id, path, media_type, bytes, draft_hash, live_hash) VALUES ($1, $2, $3, $4, $5, $5)
     ON CONFLICT (site_id, path) DO UPDATE SET media_type = $3, bytes = $4, draft_hash = $5, updated_at = now(), version = files.version + 1`,
    [siteId, storable(path), mediaType, bytes.length, hash],
    transaction,
  )
}

/** What is kept by path: enough to tell new from changed. */
export function fileHashes(db: Database, siteId: string): Promise<{ path: string; hash: string }[]> {
  return rows(db, 'SELECT path, draft_hash AS hash FROM files WHERE site_id = $1', [siteId])
}

export function listFiles(db: Database, siteId: string): Promise<FileRow[]> {
  return rows<FileRow>(
    db,
    `SELECT id, site_id AS "siteId", path, media_type AS "mediaType", bytes, draft_hash AS "draftHash", live_hash AS "liveHash", version FROM files WHERE site_id = $1 ORDER BY path`,
    [siteId],
  )
}
