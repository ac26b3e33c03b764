import { randomUUID } from 'node:crypto'
import { mkdir, open, readdir, readFile, rename, rm, stat } from 'node:fs/promises'
import path from 'node:path'
import { decodeKept, encodeKept, type KeptHead, type KeptRows } from '../../core/placements/index.ts'

/** Smaller lists are made from the database in no time. */
const KEPT_FROM = 20_000

/** Nobody is at a file any more that is as old as this. */
const HALF_WRITTEN_MS = 60 * 60_000

/** Lists of links as files, so that the first call after a start need not read a large site from the database. They can be lost. */
export class KeptLists {
  readonly #folder: string

  constructor(dataFolder: string) {
    this.#folder = path.join(dataFolder, 'lists')
  }

  /** @returns null where none is kept that can be read */
  async read(siteId: string): Promise<{ head: KeptHead; rows: KeptRows } | null> {
    try {
      return decodeKept(await readFile(this.#fileOf(siteId)))
    } catch {
      return null // there is none, or it is damaged in a way that a length does not show: the list is made anew
    }
  }

  /** Sites of which a list is kept. What a process left half written is cleared away. */
  async sites(): Promise<string[]> {
    const names = await readdir(this.#folder).catch(() => [])
    const sites = names.filter((name) => /^[0-9a-f-]{36}$/.test(name))
    for (const name of names) {
      const file = path.join(this.#folder, name)
      if (sites.includes(name) || Date.now() - ((await stat(file).catch(() => null))?.mtimeMs ?? Date.now()) < HALF_WRITTEN_MS) continue
      await rm(file, { force: true })
    }
    return sites
  }

  /** Puts a list in place of the one that was kept; a reader sees one or the other. */
  async write(siteId: string, rows: KeptRows, head: KeptHead): Promise<void> {
    if (rows.columns.page.length < KEPT_FROM) return
    await mkdir(this.#folder, { recursive: true, mode: 0o700 })
    const file = this.#fileOf(siteId)
    const next = `${file}.${randomUUID()}`
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
