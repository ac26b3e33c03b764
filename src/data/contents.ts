import type { FoundPlacement, PageNotes } from '../core/content/index.ts'
import { type Database, jsonOf, rows, storable, type Transaction } from './database.ts'
import { selectOne } from './plain.ts'
import { blobs } from './tables/index.ts'

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

/** Keeps contents by their hash, all in one statement; those already kept are left as they are. */
export async function putContents(
  db: Database,
  contents: readonly ({ readonly hash: string; readonly bytes: Uint8Array } & Partial<PageNotes>)[],
  transaction: Transaction,
): Promise<void> {
  const once = [...new Map(contents.map((each) => [each.hash, each])).values()].sort((a, b) => (a.hash < b.hash ? -1 : 1))
  if (once.length === 0) return
  await rows(
    db,
    `INSERT INTO blobs (hash, bytes, tags, written_for)
     SELECT hash, bytes, ARRAY(SELECT jsonb_array_elements_text(tags::jsonb)), written_for
     FROM unnest($1::text[], $2::bytea[], $3::text[], $4::uuid[]) AS x(hash, bytes, tags, written_for)
     ON CONFLICT (hash) DO UPDATE SET created_at = now()`,
    [
      once.map(({ hash }) => hash),
      once.map(({ bytes }) => Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength)),
      once.map(({ tags = [] }) => jsonOf(tags.map(storable))),
      once.map(({ writtenFor = null }) => writtenFor),
    ],
    transaction,
  )
}

/** @returns null when nothing is kept under that hash */
export async function getBlob(db: Database, hash: string): Promise<Buffer | null> {
  return (await selectOne(db, blobs, ['bytes'], { hash }))?.bytes ?? null
}

/** A page's content with what is said of it. @returns null when nothing is kept under that hash */
export const getContent = (db: Database, hash: string): Promise<({ readonly bytes: Buffer } & PageNotes) | null> =>
  selectOne(db, blobs, ['bytes', 'tags', 'writtenFor'], { hash })
