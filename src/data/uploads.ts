import type { Transaction } from 'sequelize'
import { type Database, rows } from './database.ts'

/** Bytes kept in one row; small enough that nothing has to hold an upload twice. */
const PART_BYTES = 4 * 1024 * 1024

/** Keeps an upload until its job is done, so that any process can carry it out. */
export async function putUpload(
  db: Database,
  { id, siteId, personId }: { id: string; siteId: string; personId: string },
  bytes: Uint8Array,
  transaction: Transaction,
): Promise<void> {
  for (let part = 0; part * PART_BYTES < bytes.length; part++) {
    await rows(
      db,
      'INSERT INTO uploads (id, part, bytes, site_id, person_id) VALUES ($1, $2, $3, $4, $5)',
      [id, part, Buffer.from(bytes.subarray(part * PART_BYTES, (part + 1) * PART_BYTES)), siteId, personId],
      transaction,
    )
  }
}

/** @returns null when it is no longer kept */
export async function getUpload(db: Database, id: string): Promise<Buffer | null> {
  const parts: Buffer[] = []
  for (;;) {
    const [row] = await rows<{ bytes: Buffer }>(db, 'SELECT bytes FROM uploads WHERE id = $1 AND part = $2', [id, parts.length])
    if (row === undefined) return parts.length === 0 ? null : Buffer.concat(parts)
    parts.push(row.bytes)
  }
}

/** What is kept of an upload, a part at a time. */
export async function* uploadParts(db: Database, id: string): AsyncGenerator<Buffer> {
  for (let part = 0; ; part++) {
    const [row] = await rows<{ bytes: Buffer }>(db, 'SELECT bytes FROM uploads WHERE id = $1 AND part = $2', [id, part])
    if (row === undefined) return
    yield row.bytes
  }
}

/** Bytes that lie in waiting. */
export async function waitingUploads(
  db: Database,
  { siteId, personId }: { siteId: string; personId: string },
  transaction: Transaction,
): Promise<{ site: number; person: number }> {
  const [found] = await rows<{ site: string; person: string }>(
    db,
    `SELECT coalesce(sum(octet_length(bytes)), 0) AS site, coalesce(sum(octet_length(bytes)) FILTER (WHERE person_id = $2), 0) AS person
     FROM uploads WHERE site_id = $1`,
    [siteId, personId],
    transaction,
  )
  return { site: Number(found?.site ?? 0), person: Number(found?.person ?? 0) }
}

export async function dropUpload(db: Database, id: string): Promise<void> {
  await rows(db, 'DELETE FROM uploads WHERE id = $1', [id])
}

/** Uploads nobody came back for. @returns how many parts went */
export async function dropOldUploads(db: Database): Promise<number> {
  return (await rows(db, `DELETE FROM uploads WHERE created_at < now() - interval '1 day' RETURNING 1`)).length
}
