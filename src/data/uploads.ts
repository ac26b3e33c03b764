import { type Database, rows, type Transaction } from './database.ts'
import { ago, insert, isBefore, remove, selectOne } from './plain.ts'
import { uploads } from './tables/index.ts'

/** Bytes kept in one row; small enough that nothing has to hold an upload twice. */
export const PART_BYTES = 4 * 1024 * 1024

/** Whose an upload is. */
export interface UploadOwner {
  readonly siteId: string
  readonly personId: string
}

/** Keeps an upload until its job is done, so that any process can carry it out: a part at a time, each but the last with {@link PART_BYTES}. */
export async function putUploadPart(
  db: Database,
  { id, siteId, personId }: UploadOwner & { readonly id: string },
  part: number,
  bytes: Buffer,
  transaction: Transaction,
): Promise<void> {
  await insert(db, uploads, { id, part, bytes, siteId, personId }, transaction)
}

/** An upload that is kept, to be read at any place of it. */
export interface KeptUpload {
  readonly bytes: number
  /** @param to - exclusive, no further than its end */
  read(from: number, to: number): Promise<Buffer>
}

/** @returns null when it is no longer kept */
export async function openUpload(db: Database, id: string): Promise<KeptUpload | null> {
  const [size] = await rows<{ bytes: number | null }>(db, 'SELECT sum(octet_length(bytes))::float8 AS bytes FROM uploads WHERE id = $1', [
    id,
  ])
  if (size?.bytes == null) return null
  const readPart = async (part: number, from: number, to: number): Promise<Buffer> => {
    const [found] = await rows<{ bytes: Buffer }>(
      db,
      'SELECT substring(bytes FROM $3::int + 1 FOR $4::int) AS bytes FROM uploads WHERE id = $1 AND part = $2',
      [id, part, from, to - from],
    )
    if (found === undefined) throw new Error('An upload went while it was read')
    return found.bytes
  }
  return {
    bytes: size.bytes,
    async read(from, to) {
      const pieces: Buffer[] = []
      for (let at = from; at < to; ) {
        const part = Math.floor(at / PART_BYTES)
        const end = Math.min(to, (part + 1) * PART_BYTES)
        pieces.push(await readPart(part, at - part * PART_BYTES, end - part * PART_BYTES))
        at = end
      }
      return pieces.length === 1 && pieces[0] !== undefined ? pieces[0] : Buffer.concat(pieces)
    },
  }
}

/** @returns null when it is no longer kept */
export async function getUpload(db: Database, id: string): Promise<Buffer | null> {
  const parts: Buffer[] = []
  for (;;) {
    const row = await selectOne(db, uploads, ['bytes'], { id, part: parts.length })
    if (row === null) return parts.length === 0 ? null : Buffer.concat(parts)
    parts.push(row.bytes)
  }
}

/** What is kept of an upload, a part at a time. */
export async function* uploadParts(db: Database, id: string): AsyncGenerator<Buffer> {
  for (let part = 0; ; part++) {
    const row = await selectOne(db, uploads, ['bytes'], { id, part })
    if (row === null) return
    yield row.bytes
  }
}

/** Bytes that lie in waiting. */
export async function waitingUploads(
  db: Database,
  { siteId, personId }: UploadOwner,
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
  await remove(db, uploads, { id })
}

/** Uploads nobody came back for. @returns how many parts went */
export const dropOldUploads = (db: Database): Promise<number> => remove(db, uploads, { createdAt: isBefore(ago(1, 'days')) })
