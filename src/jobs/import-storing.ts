import { lookup } from 'mrmime'
import type { Changes } from '../data/changes.ts'
import type { Database, Transaction } from '../data/database.ts'
import { upsertFile } from '../data/files.ts'
import { type ImportedPage, upsertImported } from '../data/imported-pages.ts'
import { hashOf } from '../services/pages/index.ts'
import { type Judged, sourceNameOf } from './import-judging.ts'

/** Stored together at most: a statement costs more than what it carries, and what waits is held in memory. */
const TOGETHER = 50

const TOGETHER_BYTES = 8 * 1024 * 1024

/** Stores what was judged, many at a time, while more is being judged. */
export class Storing {
  readonly #store: (batch: readonly Judged[]) => Promise<void>
  #batch: Judged[] = []
  #bytes = 0
  #underWay: Promise<void> = Promise.resolve()
  #sent = 0

  constructor(store: (batch: readonly Judged[]) => Promise<void>) {
    this.#store = store
  }

  /** Those taken that are not stored yet. */
  get waiting(): number {
    return this.#batch.length + this.#sent
  }

  async take(judged: Judged): Promise<void> {
    this.#batch.push(judged)
    this.#bytes += judged.content?.bytes.length ?? 0
    if (this.#batch.length >= TOGETHER || this.#bytes >= TOGETHER_BYTES) await this.#begin()
  }

  /** Stores the rest. @throws what went wrong with any of it */
  async end(): Promise<void> {
    await this.#begin()
    await this.#underWay
  }

  /** Waits until nothing is under way any more, whatever became of it. */
  async settled(): Promise<void> {
    await this.#underWay.catch(() => {})
  }

  async #begin(): Promise<void> {
    const batch = this.#batch
    this.#batch = []
    this.#bytes = 0
    await this.#underWay
    this.#sent = batch.length
    this.#underWay = this.#store(batch).then(() => {
      this.#sent = 0
    })
    this.#underWay.catch(() => {}) // whoever waits for it next is told
  }
}

export async function storeJudged(
  db: Database,
  { siteId, personId, step }: { siteId: string; personId: string | null; step: string },
  batch: readonly Judged[],
  transaction: Transaction,
  changes: Changes,
): Promise<void> {
  const pages: (ImportedPage & { readonly isNew: boolean })[] = []
  for (const { item, content } of batch) {
    if (content === null || (item.outcome !== 'new' && item.outcome !== 'changed')) continue
    const { name, path, bytes, hash, page, origin } = content
    if (page === null) {
      const mediaType = lookup(path) ?? 'application/octet-stream'
      changes.add(siteId, 'files', await upsertFile(db, { siteId, path, mediaType, hash, bytes, personId, step }, transaction), 'changed')
    } else
      pages.push({
        path,
        sourceName: sourceNameOf(name, path),
        content: page,
        origin: origin === undefined ? null : { hash: hashOf(origin), bytes: origin },
        isNew: item.outcome === 'new',
      })
  }
  if (pages.length === 0) return
  const ids = await upsertImported(db, { siteId, personId, step, pages }, transaction)
  for (const [i, id] of ids.entries()) changes.add(siteId, 'pages', id, pages[i]?.isNew === true ? 'made' : 'changed')
}
