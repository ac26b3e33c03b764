import { applyPatches, decodeSource, type Patch, patchBytes, writableIn } from '../../core/markup/index.ts'
import { fail, ok, type Result } from '../../core/result.ts'
import { type BulkPage, insertBulkChange } from '../../data/bulk-changes.ts'
import type { Changes } from '../../data/changes.ts'
import type { Database, Transaction } from '../../data/database.ts'
import { updateDrafts } from '../../data/drafts.ts'
import type { PageRow } from '../../data/pages.ts'
import { tell } from '../../words/index.ts'
import type { Actor } from '../context.ts'
import { newContent } from '../pages/index.ts'

/** A draft with new bytes, as it is put on top of its version. */
export const keptDraft = (page: PageRow, bytes: Uint8Array) => ({
  pageId: page.id,
  version: page.version,
  content: newContent(bytes, page.title, { encoding: page.encoding, kind: page.kind, path: page.path, notes: page }),
})

/** Stored bytes with patches put on them; null where the page's encoding does not allow a change in one of these places. */
export function patchPage(page: Pick<PageRow, 'encoding'>, bytes: Uint8Array, text: string, patches: readonly Patch[]): Uint8Array | null {
  const written = patches.map((patch) => ({ ...patch, insert: writableIn(patch.insert, page.encoding) }))
  const patched = patchBytes(bytes, page.encoding, text, written)
  return patched.ok && decodeSource(patched.value, page.encoding) === applyPatches(text, written) ? patched.value : null
}

/** Drafts of many pages that are changed together, in one transaction, so that they can be taken back together. */
export class BulkDrafts {
  readonly #db: Database
  readonly #actor: Actor
  readonly #transaction: Transaction
  readonly #pages: BulkPage[] = []

  constructor(db: Database, actor: Actor, transaction: Transaction) {
    this.#db = db
    this.#actor = actor
    this.#transaction = transaction
  }

  get pages(): number {
    return this.#pages.length
  }

  /** @returns 'moved-on' where somebody saved one of them in the meantime: nothing of the transaction may be kept then */
  async put(
    changed: readonly { readonly page: PageRow; readonly bytes: Uint8Array }[],
    madeBy: 'bulk' | 'bake' = 'bulk',
  ): Promise<Result<null, 'moved-on'>> {
    if (changed.length === 0) return ok(null)
    const drafts = changed.map(({ page, bytes }) => keptDraft(page, bytes))
    const moved = await updateDrafts(this.#db, drafts, { personId: this.#actor.personId, madeBy }, this.#transaction)
    if (moved !== null) {
      const title = changed.find(({ page }) => page.id === moved)?.page.title ?? ''
      return fail('moved-on', { why: tell('change.saved-meanwhile', { title }) })
    }
    for (const [i, { page }] of changed.entries())
      this.#pages.push({
        pageId: page.id,
        beforeHash: page.draftHash,
        beforeEncoding: page.encoding,
        afterHash: drafts[i]?.content.hash ?? '',
      })
    return ok(null)
  }

  /** Notes down what was done. @param links - how many changed. @returns the id by which it is taken back */
  async close(change: object, links: number, changes: Changes): Promise<string> {
    const { siteId, personId } = this.#actor
    const id = await insertBulkChange(this.#db, { siteId, change, links, personId, pages: this.#pages }, this.#transaction)
    changes.add(
      siteId,
      'pages',
      this.#pages.map(({ pageId }) => pageId),
      'changed',
    )
    changes.add(siteId, 'bulk-changes', id, 'made')
    return id
  }
}
