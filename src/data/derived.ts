import type { NewContent } from './contents.ts'
import { type Database, rows, storable, type Transaction } from './database.ts'
import { replacePlacements } from './placements.ts'
import { remove } from './plain.ts'
import { fileUses } from './tables/index.ts'

/** Derives anew what is kept about pages besides their contents: their links, and the files that they name. */
export async function deriveFrom(
  db: Database,
  pages: readonly { readonly pageId: string; readonly content: Pick<NewContent, 'placements' | 'words' | 'uses'> }[],
  transaction: Transaction,
): Promise<void> {
  await replacePlacements(
    db,
    pages.map(({ pageId, content }) => ({ pageId, ...content })),
    transaction,
  )
  const uses = pages.flatMap(({ pageId, content }) => content.uses.map((path) => ({ pageId, path: storable(path) })))
  await remove(db, fileUses, { pageId: pages.map(({ pageId }) => pageId) }, transaction)
  if (uses.length === 0) return
  await rows(
    db,
    'INSERT INTO file_uses (page_id, path) SELECT * FROM unnest($1::uuid[], $2::text[]) ON CONFLICT DO NOTHING',
    [uses.map(({ pageId }) => pageId), uses.map(({ path }) => path)],
    transaction,
  )
}
