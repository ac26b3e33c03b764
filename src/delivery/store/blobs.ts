import { existsSync } from 'node:fs'
import { readdir, rename, rm, stat, writeFile } from 'node:fs/promises'
import path from 'node:path'
import type { Database } from '../../data/database.ts'
import { contentSizes, readBlobs } from '../../data/delivered.ts'
import { startingWith } from './format.ts'
import type { Store, StorePlaces } from './places.ts'

/** Bytes of contents that are in memory at once; one larger content comes by itself. */
const BYTES_AT_ONCE = 16 * 1024 * 1024
/** A content that nothing refers to may still be on its way to a visitor for so long. */
const KEPT_MS = 60_000
/** How often the whole folder is looked through for what a process left behind that was ended. */
const SWEEP_MS = 60 * 60 * 1000

/** Brings contents from the database to the disk, and removes those that no store refers to any more. */
export class BlobKeeper {
  readonly #db: Database
  readonly #places: StorePlaces
  /** Contents that lost a reference, with the time at which they did. */
  readonly #perhapsUnused = new Map<string, number>()
  #sweptAt = 0

  constructor(db: Database, places: StorePlaces) {
    this.#db = db
    this.#places = places
  }

  /** After this each of them is on disk, but for those that the database does not have. */
  async bring(hashes: readonly string[]): Promise<void> {
    const missing = [...new Set(hashes)].filter((hash) => !existsSync(this.#places.blobFile(hash)))
    let batch: string[] = []
    let bytes = 0
    const flush = async (): Promise<void> => {
      for (const blob of await readBlobs(this.#db, batch)) await this.#write(blob.hash, blob.bytes)
      batch = []
      bytes = 0
    }
    for (let from = 0; from < missing.length; from += 1_000)
      for (const size of await contentSizes(this.#db, missing.slice(from, from + 1_000))) {
        if (batch.length > 0 && bytes + size.bytes > BYTES_AT_ONCE) await flush()
        batch.push(size.hash)
        bytes += size.bytes
      }
    if (batch.length > 0) await flush()
  }

  async #write(hash: string, bytes: Uint8Array): Promise<void> {
    const file = this.#places.blobFile(hash)
    await writeFile(`${file}.${process.pid}`, bytes)
    await rename(`${file}.${process.pid}`, file)
  }

  perhapsUnused(hash: string): void {
    this.#perhapsUnused.set(hash, Date.now())
  }

  async removeUnused(store: Store | null): Promise<void> {
    if (store === null) return
    if (Date.now() - this.#sweptAt > SWEEP_MS) {
      this.#sweptAt = Date.now()
      await this.#sweep()
    }
    for (const [hash, since] of this.#perhapsUnused) {
      if (Date.now() - since < KEPT_MS) continue
      this.#perhapsUnused.delete(hash)
      const [use] = store.getKeys({ ...startingWith(`use ${hash}`), limit: 1 })
      if (use === undefined) await rm(this.#places.blobFile(hash), { force: true })
    }
  }

  /** Whatever has lain in the folder for a while is looked at. */
  async #sweep(): Promise<void> {
    for (const name of await readdir(this.#places.blobFolder)) {
      const { mtimeMs } = await stat(path.join(this.#places.blobFolder, name)).catch(() => ({ mtimeMs: Date.now() }))
      if (Date.now() - mtimeMs < KEPT_MS) continue
      if (/^[0-9a-f]{64}$/.test(name)) this.#perhapsUnused.set(name, 0)
      else await rm(path.join(this.#places.blobFolder, name), { force: true })
    }
  }
}
