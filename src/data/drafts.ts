import { type NewContent, putContents } from './contents.ts'
import { type Database, jsonOf, rows, storable, type Transaction } from './database.ts'
import { deriveFrom } from './derived.ts'
import { PAGE_COLUMNS, type PageRow } from './pages.ts'
import { select } from './plain.ts'
import { keepRevisions } from './revisions.ts'
import { pages } from './tables/index.ts'

/** A page with the bytes of its draft. */
export interface Draft {
  readonly page: PageRow
  readonly bytes: Uint8Array
}

/** Drafts read or written together: few enough that their bytes may lie in memory at once. */
const TOGETHER = 100
const TOGETHER_BYTES = 8 * 1024 * 1024

/** The drafts of pages, some at a time, in the order given; pages that are gone are left out. */
export async function* readDrafts(db: Database, siteId: string, ids: readonly string[]): AsyncGenerator<Draft[]> {
  const sizes = new Map<string, number>()
  for (let from = 0; from < ids.length; from += 2_000) {
    const found = await rows<{ id: string; bytes: number }>(
      db,
      'SELECT p.id, octet_length(b.bytes) AS bytes FROM pages p JOIN blobs b ON b.hash = p.draft_hash WHERE p.site_id = $1 AND p.id = ANY($2::uuid[])',
      [siteId, ids.slice(from, from + 2_000)],
    )
    for (const { id, bytes } of found) sizes.set(id, bytes)
  }
  let together: string[] = []
  let bytes = 0
  for (const id of ids) {
    const size = sizes.get(id)
    if (size === undefined) continue
    if (together.length > 0 && (together.length >= TOGETHER || bytes + size > TOGETHER_BYTES)) {
      yield await draftsOf(db, siteId, together)
      together = []
      bytes = 0
    }
    together.push(id)
    bytes += size
  }
  if (together.length > 0) yield await draftsOf(db, siteId, together)
}

async function draftsOf(db: Database, siteId: string, ids: readonly string[]): Promise<Draft[]> {
  const found = await rows<PageRow & { bytes: Buffer }>(
    db,
    `SELECT ${PAGE_COLUMNS}, b.bytes FROM pages p JOIN blobs b ON b.hash = p.draft_hash
     WHERE p.site_id = $1 AND p.id = ANY($2::uuid[]) ORDER BY array_position($2::uuid[], p.id)`,
    [siteId, ids],
  )
  return found.map(({ bytes, ...page }) => ({ page, bytes }))
}

/** Work that is not published stays whose it was, whoever changes its links along with many others. */
const WHOSE = `CASE WHEN p.live_hash IS DISTINCT FROM p.draft_hash AND p.edited_by IS NOT NULL THEN p.edited_by ELSE $2 END`

/**
 * Puts drafts on top of the versions they were made of, with revisions and placements: what {@link updateDraft} does for one.
 * @returns the id of a page that somebody saved in the meantime, after which nothing may be kept; else null
 */
export async function updateDrafts(
  db: Database,
  drafts: readonly { readonly pageId: string; readonly version: number; readonly content: NewContent }[],
  { personId, madeBy }: { personId: string | null; madeBy: string },
  transaction: Transaction,
): Promise<string | null> {
  const ids = drafts.map(({ pageId }) => pageId)
  await select(db, pages, ['id'], { id: ids }, { order: [['id', 'ASC']], holds: true, transaction })
  await putContents(
    db,
    drafts.map(({ content }) => content),
    transaction,
  )
  const changed = drafts.map(({ pageId, version, content }) => ({
    id: pageId,
    version,
    hash: content.hash,
    encoding: content.encoding,
    title: storable(content.title),
    for: content.writtenFor,
    tags: content.tags.map(storable),
  }))
  const updated = await rows<{ id: string }>(
    db,
    `UPDATE pages p SET draft_hash = x.hash, encoding = x.encoding, title = x.title, edited_by = ${WHOSE}, draft_at = now(), updated_at = now(), version = p.version + 1,
       written_for = x."for", tags = ARRAY(SELECT jsonb_array_elements_text(x.tags)), removed_at = NULL
     FROM jsonb_to_recordset($1::jsonb) AS x(id uuid, version int, hash text, encoding text, title text, "for" uuid, tags jsonb)
     WHERE p.id = x.id AND p.version = x.version RETURNING p.id`,
    [jsonOf(changed), personId],
    transaction,
  )
  if (updated.length < drafts.length) {
    const done = new Set(updated.map(({ id }) => id))
    return ids.find((id) => !done.has(id)) ?? null
  }
  await keepRevisions(db, ids, { madeBy, personId }, transaction)
  await deriveFrom(db, drafts, transaction)
  return null
}
