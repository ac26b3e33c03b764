import { mkdir, open, readdir, readFile, rename, rm } from 'node:fs/promises'
import path from 'node:path'
import { decodeKept, encodeKept, type KeptHead, type KeptRows } from '../core/placements/index.ts'

/** Smaller lists are made from the database in no time. */
const KEPT_FROM = 20_000

/** Lists of links as files, so that the first call after a start need not read a large site from the database. They can be lost. */
export class KeptLists {
  readonly #folder: string

  constructor(dataFolder: string) {
    this.#folder = path.join(dataFolder, 'lists')
  }

  /** @returns null where none is kept that can be read */
  async read(siteId: string): Promise<{ head: KeptHead; rows: KeptRows } | null> {
    const bytes = await readFile(this.#fileOf(siteId)).catch(() => null)
    return bytes === null ? null : decodeKept(bytes)
  }

  /** Sites of which a list is kept, or was being written. */
  async sites(): Promise<string[]> {
    const names = await readdir(this.#folder).catch(() => [])
    return names.filter((name) => /^[0-9a-f-]{36}$/.test(name))
  }

  /** Puts a list in place of the one that was kept; a reader sees one or the other. */
  async write(siteId: string, rows: KeptRows, head: KeptHead): Promise<void> {
    if (rows.columns.page.length < KEPT_FROM) return
    await mkdir(this.#folder, { recursive: true, mode: 0o700 })
    const file = this.#fileOf(siteId)
    const next = `${file}.${process.pid}.${Math.round(performance.now())}`
    try {
      const handle = await open(next, 'w', 0o600)
      try {
        await handle.writev(encodeKept(rows, head))
        await handle.datasync()
      } finally {
        await handle.close()
      }
      await rename(next, file)
    } catch (error) {
      await rm(next, { force: true })
      throw error
    }
  }

  #fileOf(siteId: string): string {
    return path.join(this.#folder, siteId)
  }
}
