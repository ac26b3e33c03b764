import { filledBlock } from '../core/blocks/index.ts'
import { decodeSource } from '../core/markup/index.ts'
import { readMenu, renderMenu } from '../core/menus/index.ts'
import { type Database, rows, type Transaction } from './database.ts'

/** A shared part as pages show it: "block footer" or "menu main", and its markup before rules are applied. */
export interface PartRow {
  readonly key: string
  readonly html: string
}

/** Every block and menu of a site, rendered. @param of - the live ones, or as they stand in the studio */
export async function readParts(db: Database, siteId: string, of: 'draft' | 'live', transaction?: Transaction): Promise<PartRow[]> {
  const hash = of === 'draft' ? 'draft_hash' : 'live_hash'
  const found = await rows<{ kind: 'block' | 'menu'; path: string; bytes: Buffer; encoding: string }>(
    db,
    `SELECT p.kind, p.path, b.bytes, p.encoding FROM pages p JOIN blobs b ON b.hash = p.${hash}
     WHERE p.site_id = $1 AND p.kind <> 'page' ${of === 'draft' ? 'AND p.removed_at IS NULL' : ''} ORDER BY p.path`,
    [siteId],
    transaction,
  )
  return found.map(({ kind, path, bytes, encoding }) => ({ key: partKey(path), html: partHtml(kind, bytes, encoding) }))
}

/** Of a block's or menu's path: "block:footer" is "block footer". */
export const partKey = (path: string): string => path.replace(':', ' ')

/** The markup of a stored block or menu. */
export function partHtml(kind: string, bytes: Uint8Array, encoding: string): string {
  const text = decodeSource(bytes, encoding)
  return kind === 'menu' ? renderMenu(readMenu(text).entries) : filledBlock(text).html
}
