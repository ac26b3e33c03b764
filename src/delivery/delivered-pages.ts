import { createHash } from 'node:crypto'
import { readFile } from 'node:fs/promises'
import { promisify } from 'node:util'
import zlib from 'node:zlib'
import type { Logger } from 'pino'
import { deliverBytes } from '../core/content/index.ts'
import { countingEnd } from './counting-end.ts'
import { room } from './room.ts'
import type { DeliveryStore, HostEntry, Reads, StoredPage, StoreView } from './store/index.ts'

/** Bytes of rewritten pages kept ready; those that nobody has asked for the longest go first. */
const KEPT_MAX_BYTES = 64 * 1024 * 1024

const gzip = promisify(zlib.gzip)
/** A page is packed once and sent often. */
const GZIP_LEVEL = 6

interface Delivered {
  readonly bytes: Buffer
  readonly etag: string
}
interface Kept extends Delivered {
  /** What of the store went into it, and the site as it was compiled then. */
  readonly reads: Reads
  readonly compiledAt: number
  /** The newest generation of the store at which it was still right. */
  checkedAt: string
}

/** Pages with rules and shared parts, made when they are asked for, and kept until something changes that they are made of. */
export class DeliveredPages {
  readonly #store: DeliveryStore
  readonly #log: Logger
  readonly #kept = new Map<string, Kept>()
  /** Goes with the page that it was made of. */
  readonly #packed = new WeakMap<Buffer, Promise<Delivered>>()
  #bytes = 0

  constructor(store: DeliveryStore, log: Logger) {
    this.#store = store
    this.#log = log
  }

  async deliver(view: StoreView, entry: HostEntry, page: StoredPage): Promise<Delivered> {
    const key = `${entry.ground.setup.siteId} ${page.path}`
    const { generation } = view
    const kept = this.#kept.get(key)
    if (kept !== undefined && kept.compiledAt === entry.compiledAt && (kept.checkedAt === generation || view.isStill(kept.reads))) {
      kept.checkedAt = generation
      this.#kept.delete(key) // to the end: the newest asked for
      this.#kept.set(key, kept)
      return kept
    }
    const stored = await readFile(this.#store.blobFile(page.hash))
    const reads = view.record()
    view.page(entry, page.path)
    const place = {
      path: page.path,
      tags: page.tags,
      writtenFor: page.writtenFor,
      waiting: view.waiting(entry, page.id),
      findPart: view.parts(entry),
    }
    const answer = deliverBytes(stored, page.encoding, view.site(entry), place, room)
    if (!answer.ok)
      this.#log.warn({ page: page.path, encoding: page.encoding }, 'rules cannot be written into this page; delivered as stored')
    const marked = answer.ok ? Buffer.from(answer.value) : stored
    const counting = countingEnd(entry, marked, page.encoding, [])
    const bytes = counting === null ? marked : Buffer.concat([marked, counting])
    const etag = `"${createHash('sha256').update(bytes).digest('hex').slice(0, 24)}"`
    const made = { bytes, etag, reads, compiledAt: entry.compiledAt, checkedAt: generation }
    this.#keep(key, made)
    return made
  }

  /**
   * The same page packed, in a thread of Node's own. Another form has another entity tag (RFC 9110 §8.8.3.3).
   * @param page - as it was delivered; the packed form is kept as long as it is
   */
  packed(page: Delivered): Promise<Delivered> {
    const known = this.#packed.get(page.bytes)
    if (known !== undefined) return known
    const made = gzip(page.bytes, { level: GZIP_LEVEL }).then((bytes) => ({ bytes, etag: page.etag.replace(/"$/, '-gz"') }))
    this.#packed.set(page.bytes, made)
    made.catch(() => this.#packed.delete(page.bytes))
    return made
  }

  #keep(key: string, made: Kept): void {
    this.#bytes += made.bytes.length - (this.#kept.get(key)?.bytes.length ?? 0)
    this.#kept.delete(key)
    this.#kept.set(key, made)
    for (const [oldest, { bytes }] of this.#kept) {
      if (this.#bytes <= KEPT_MAX_BYTES) break
      this.#kept.delete(oldest)
      this.#bytes -= bytes.length
    }
  }
}
