import { randomUUID } from 'node:crypto'
import {
  closeSync,
  existsSync,
  fstatSync,
  mkdirSync,
  openSync,
  readdirSync,
  readFileSync,
  readSync,
  renameSync,
  rmSync,
  writeFileSync,
} from 'node:fs'
import path from 'node:path'
import { open, type RootDatabase } from 'lmdb'
import { FORMAT, KEYS } from './format.ts'

export type Store = RootDatabase<string, string>

/** More visitors than are ever answered at once. */
const READERS_MAX = 4_096
const CURRENT = 'current'
const DATA_FILE = 'data.mdb'
const STORE_NAME = /^store-[0-9a-f-]+$/

/** Where delivery keeps what it answers from: stores, of which one is current, and contents by hash beside them. */
export class StorePlaces {
  readonly folder: string

  constructor(dataFolder: string) {
    this.folder = path.join(dataFolder, 'delivery')
    mkdirSync(path.join(this.folder, 'blobs'), { recursive: true })
  }

  blobFile(hash: string): string {
    return path.join(this.folder, 'blobs', hash)
  }

  get blobFolder(): string {
    return path.join(this.folder, 'blobs')
  }

  /** A number that tells this folder from those of other machines that share the database. */
  get id(): string {
    const file = path.join(this.folder, 'id')
    if (!existsSync(file)) this.#write(file, randomUUID())
    return readFileSync(file, 'utf8').trim()
  }

  /** Name of the store to answer from; null where there is none yet. */
  get current(): string | null {
    try {
      const name = readFileSync(path.join(this.folder, CURRENT), 'utf8').trim()
      return STORE_NAME.test(name) && existsSync(path.join(this.folder, name, DATA_FILE)) ? name : null
    } catch {
      return null
    }
  }

  newName(): string {
    return `store-${randomUUID()}`
  }

  /** From now on `name` is answered from; readers notice within a second. */
  makeCurrent(name: string): void {
    this.#write(path.join(this.folder, CURRENT), name)
  }

  remove(name: string): void {
    rmSync(path.join(this.folder, name), { recursive: true, force: true })
  }

  /** Removes stores that were built half, or are no longer answered from. */
  removeAllBut(name: string): void {
    for (const each of readdirSync(this.folder))
      if (STORE_NAME.test(each) && each !== name) rmSync(path.join(this.folder, each), { recursive: true, force: true })
    for (const left of ['snapshot.json']) rmSync(path.join(this.folder, left), { force: true }) // of versions before this one
  }

  /**
   * Opens a store, for reading and writing: within a process all who open one share it as the first did, and one that was opened
   * for reading alone has no room for whoever writes (LMDB, "environment").
   * @throws when it cannot be read
   */
  open(name: string): Store {
    return open<string, string>({ path: path.join(this.folder, name), encoding: 'string', maxReaders: READERS_MAX })
  }

  /** @throws when it cannot be read, is damaged, or of another version */
  openCurrent(): { name: string; store: Store } | null {
    const name = this.current
    if (name === null) return null
    assertWhole(path.join(this.folder, name, DATA_FILE))
    const store = this.open(name)
    const format = store.get(KEYS.format)
    if (format === FORMAT) return { name, store }
    void store.close()
    throw new Error(`the store is of version ${format ?? 'none'}`)
  }

  #write(file: string, text: string): void {
    const fresh = `${file}.${process.pid}.${randomUUID().slice(0, 8)}`
    writeFileSync(fresh, text)
    renameSync(fresh, file)
  }
}

/** Of each of the two heads that LMDB's file begins with: where its facts stand, and what it is known by. */
const HEAD = { bytes: 4_096, magicAt: 24, magic: 0xbeefc0de, pageSizeAt: 48, lastPageAt: 136, turnAt: 144 } as const

/**
 * Looks at a store's file before it is opened. LMDB maps it into memory, so that one which is shorter than its own head
 * says would end the process at the first look.
 * @throws when it is no store, or cut off
 */
function assertWhole(file: string): void {
  const heads = Buffer.alloc(2 * HEAD.bytes)
  const opened = openSync(file, 'r')
  try {
    if (readSync(opened, heads, 0, heads.length, 0) < heads.length) throw new Error('the store is too short')
    const [first, second] = [heads.subarray(0, HEAD.bytes), heads.subarray(HEAD.bytes)]
    if ([first, second].some((head) => head.readUInt32LE(HEAD.magicAt) !== HEAD.magic)) throw new Error('the store is damaged')
    const newest = first.readBigUInt64LE(HEAD.turnAt) > second.readBigUInt64LE(HEAD.turnAt) ? first : second
    const pages = newest.readBigUInt64LE(HEAD.lastPageAt) + 1n
    if (BigInt(fstatSync(opened).size) < pages * BigInt(newest.readUInt32LE(HEAD.pageSizeAt))) throw new Error('the store ends too early')
  } finally {
    closeSync(opened)
  }
}
