import { existsSync, mkdirSync } from 'node:fs'
import { readdir, readFile, rename, rm, writeFile } from 'node:fs/promises'
import path from 'node:path'
import pg from 'pg'
import type { Logger } from 'pino'
import { parseUrl } from '../core/address/index.ts'
import type { PartFinder } from '../core/blocks/index.ts'
import { type CompiledSite, compileSite } from '../core/rules/index.ts'
import { type Database, SNAPSHOT_CHANNEL } from '../data/database.ts'
import { snapshotVersion } from '../data/sites.ts'
import { readBlobs, readSnapshot, Snapshot } from '../data/snapshot.ts'

type SiteSnapshot = Snapshot['sites'][number]

/** What answers on one host. */
export interface HostEntry {
  readonly kind: 'site' | 'short' | 'door'
  /** Of a front door: where the site behind it answers. */
  readonly origin: URL | null
  readonly site: CompiledSite
  readonly pages: ReadonlyMap<string, SiteSnapshot['pages'][number]>
  readonly files: ReadonlyMap<string, SiteSnapshot['files'][number]>
  readonly findPart: PartFinder
}

/** A snapshot made ready to answer from. It never changes; a newer one takes its place. */
export interface CompiledSnapshot {
  readonly version: number
  readonly hosts: ReadonlyMap<string, HostEntry>
  /** Pages with the rules applied, filled as they are asked for and gone with the snapshot. */
  readonly delivered: Map<string, { readonly bytes: Buffer; readonly etag: string }>
}

export function compileSnapshot(snapshot: Snapshot, port: number): CompiledSnapshot {
  const hosts = new Map<string, HostEntry>()
  for (const { setup, pages, parts, files } of snapshot.sites) {
    const site = compileSite(setup, port)
    const pageMap = new Map(pages.map((page) => [page.path, page]))
    const fileMap = new Map(files.map((file) => [file.path, file]))
    const partMap = new Map(parts.map(({ key, html }) => [key, html]))
    const findPart: PartFinder = (kind, name) => partMap.get(`${kind} ${name}`) ?? null
    for (const { host, kind, origin } of setup.hosts)
      hosts.set(host, { kind, site, origin: kind === 'door' ? parseUrl(origin ?? '') : null, pages: pageMap, files: fileMap, findPart })
  }
  return { version: snapshot.version, hosts, delivered: new Map() }
}

const BLOBS_AT_ONCE = 100
/** Looked after even when no announcement came: a lost connection must not go unnoticed. */
const CATCH_UP_MS = 15_000
const RECONNECT_MS = 1_000

/**
 * Holds the newest snapshot, and a copy of it with its contents on disk, so that delivery starts and answers without the
 * database. PostgreSQL announces changes; the version number catches up after a lost connection.
 */
export class SnapshotStore {
  current: CompiledSnapshot | null = null
  readonly #db: Database
  readonly #folder: string
  readonly #port: number
  readonly #log: Logger
  #listener: pg.Client | null = null
  #timer: NodeJS.Timeout | undefined
  #refreshing: Promise<void> | null = null
  #isAskedAgain = false
  #isStopped = false

  constructor(db: Database, options: { dataFolder: string; port: number; log: Logger }) {
    this.#db = db
    this.#folder = path.join(options.dataFolder, 'delivery')
    this.#port = options.port
    this.#log = options.log
    mkdirSync(path.join(this.#folder, 'blobs'), { recursive: true })
  }

  /** Takes the copy on disk, then goes after the newest. Returns once there is something to answer from, or nothing to be had. */
  async start(): Promise<void> {
    await this.#readKept()
    const fresh = this.refresh().catch((error: unknown) =>
      this.#log.warn({ err: error }, 'the database does not answer; delivery goes on from its copy'),
    )
    if (this.current === null) await fresh
    void this.#listen()
    this.#timer = setInterval(() => void this.#catchUp(), CATCH_UP_MS)
    this.#timer.unref()
  }

  async stop(): Promise<void> {
    this.#isStopped = true
    clearInterval(this.#timer)
    await this.#listener?.end().catch(() => {})
    await this.#refreshing?.catch(() => {})
  }

  /** Where a content lies on disk. */
  blobFile(hash: string): string {
    return path.join(this.#folder, 'blobs', hash)
  }

  /** Reads the newest snapshot and puts it in place. Calls that come meanwhile are answered by one more reading. */
  refresh(): Promise<void> {
    if (this.#refreshing !== null) {
      this.#isAskedAgain = true
      return this.#refreshing
    }
    this.#refreshing = this.#refreshAll().finally(() => {
      this.#refreshing = null
    })
    return this.#refreshing
  }

  async #refreshAll(): Promise<void> {
    do {
      this.#isAskedAgain = false
      const snapshot = await readSnapshot(this.#db)
      await this.#keepBlobs(snapshot)
      this.current = compileSnapshot(snapshot, this.#port)
      const file = path.join(this.#folder, 'snapshot.json')
      await writeFile(`${file}.${process.pid}`, JSON.stringify(snapshot))
      await rename(`${file}.${process.pid}`, file)
      this.#log.debug({ version: snapshot.version }, 'snapshot in place')
    } while (this.#isAskedAgain)
  }

  async #readKept(): Promise<void> {
    try {
      const kept = Snapshot.parse(JSON.parse(await readFile(path.join(this.#folder, 'snapshot.json'), 'utf8')))
      this.current = compileSnapshot(kept, this.#port)
    } catch (error) {
      if (existsSync(path.join(this.#folder, 'snapshot.json')))
        this.#log.warn({ err: error }, 'the kept snapshot cannot be read; waiting for the database')
    }
  }

  async #keepBlobs(snapshot: Snapshot): Promise<void> {
    const wanted = new Set(snapshot.sites.flatMap(({ pages, files }) => [...pages, ...files].map(({ hash }) => hash)))
    const kept = new Set(await readdir(path.join(this.#folder, 'blobs')))
    const missing = [...wanted].filter((hash) => !kept.has(hash))
    for (let i = 0; i < missing.length; i += BLOBS_AT_ONCE) {
      for (const { hash, bytes } of await readBlobs(this.#db, missing.slice(i, i + BLOBS_AT_ONCE))) {
        await writeFile(`${this.blobFile(hash)}.${process.pid}`, bytes)
        await rename(`${this.blobFile(hash)}.${process.pid}`, this.blobFile(hash))
      }
    }
    // Contents that no snapshot on this disk names; the one being replaced may still be answered from, so its own stay.
    const before = new Set(
      [...(this.current?.hosts.values() ?? [])].flatMap(({ pages, files }) =>
        [...pages.values(), ...files.values()].map(({ hash }) => hash),
      ),
    )
    for (const name of kept)
      if (/^[0-9a-f]{64}$/.test(name) && !wanted.has(name) && !before.has(name)) await rm(this.blobFile(name), { force: true })
  }

  async #listen(): Promise<void> {
    while (!this.#isStopped) {
      const client = new pg.Client({ connectionString: this.#db.url, keepAlive: true })
      try {
        const lost = new Promise<void>((resolve) => {
          client.on('error', () => resolve())
          client.on('end', () => resolve())
        })
        await client.connect()
        this.#listener = client
        client.on(
          'notification',
          () => void this.refresh().catch((error: unknown) => this.#log.warn({ err: error }, 'a new snapshot could not be read')),
        )
        await client.query(`LISTEN ${SNAPSHOT_CHANNEL}`)
        await this.#catchUp()
        await lost
      } catch {
        // Not there yet; tried again below.
      }
      await client.end().catch(() => {})
      if (!this.#isStopped) await new Promise((resolve) => setTimeout(resolve, RECONNECT_MS).unref())
    }
  }

  async #catchUp(): Promise<void> {
    try {
      if ((await snapshotVersion(this.#db)) !== this.current?.version) await this.refresh()
    } catch {
      // The database is away; what is in place goes on answering.
    }
  }
}
