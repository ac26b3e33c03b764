import { createHash } from 'node:crypto'
import type { Transaction } from 'lmdb'
import type { Logger } from 'pino'
import { parseUrl } from '../../core/address/index.ts'
import type { PartFinder } from '../../core/blocks/index.ts'
import { type CompiledShortLink, type RedirectSource, TOLERANCE } from '../../core/routing/index.ts'
import { type CompiledSite, compileSite, originOf, type SiteGround, type SiteSetup, withShortLinks } from '../../core/rules/index.ts'
import { KEYS, readShortLink, type StoredFile, type StoredPage, startingWith } from './format.ts'
import type { Store, StorePlaces } from './places.ts'
import { wordsOfPage } from './puts.ts'
import { redirectsIn, SitePatterns } from './redirects.ts'

/** What answers on one host. Compiled, and the same until what it is compiled from changes. */
export interface HostEntry {
  readonly id: string
  readonly kind: 'site' | 'short' | 'door'
  /** Path segment before the slug; "" for none. */
  /** Of a short host: what stands before slugs, the current one first. */
  readonly prefixes: readonly string[]
  /** Of a front door: where the site behind it answers. */
  readonly origin: URL | null
  /** Of the host, as visitors type it. */
  readonly address: string
  /** Where a missing page of the host leads; see `missingTo`. */
  readonly missingTo: string
  readonly ground: SiteGround
  /** Counted up when the site is compiled anew: pages made with it are then out of date. */
  readonly compiledAt: number
}

/** Of a missing address: words that are looked up, letters that a slip leaves whole, and pages for each. */
const NEAR_WORDS = 4
const NEAR_LETTERS = 3
const NEAR_A_WORD = 15

/** How often another process's rebuilding is looked for. */
const LOOK_MS = 1_000

/** A store that is open, with what is compiled from it. */
class OpenStore {
  readonly name: string
  readonly store: Store
  hosts: ReadonlyMap<string, HostEntry> = new Map()
  moments = 0
  /** See {@link StoreView.state}. */
  state: object = {}
  #generation = ''
  #setUp = ''
  readonly #patterns = new Map<string, SitePatterns>()
  /** By site: what it was compiled from, and what came of it. */
  readonly #compiled = new Map<string, { json: string; ground: SiteGround; compiledAt: number }>()

  constructor(name: string, store: Store) {
    this.name = name
    this.store = store
  }

  /** The rows of a site's redirects that have to be asked, as of a moment. */
  patternsOf(siteId: string, transaction: Transaction): SitePatterns {
    const patterns = this.#patterns.get(siteId) ?? new SitePatterns(siteId)
    this.#patterns.set(siteId, patterns)
    patterns.bringUpToDate(this.store, transaction)
    return patterns
  }

  /** Compiles sites that are set up otherwise than before; the others stay as they are. */
  bringUpToDate(transaction: Transaction, port: number): void {
    const generation = this.store.get(KEYS.generation, { transaction }) ?? ''
    if (generation !== this.#generation) this.state = {}
    this.#generation = generation
    const setUp = this.store.get(KEYS.setUp, { transaction }) ?? ''
    if (setUp === this.#setUp) return
    const hosts = new Map<string, HostEntry>()
    for (const { key, value: json } of this.store.getRange({ ...startingWith('site'), transaction })) {
      let compiled = this.#compiled.get(key)
      if (compiled?.json !== json) {
        compiled = { json, ground: compileSite(JSON.parse(json) as SiteSetup, port), compiledAt: nextCompilation++ }
        this.#compiled.set(key, compiled)
      }
      const { ground, compiledAt } = compiled
      for (const { id, host, kind, prefix, oldPrefixes = [], origin, missingTo } of ground.setup.hosts)
        hosts.set(host, {
          id,
          kind,
          prefixes: [prefix, ...oldPrefixes],
          origin: kind === 'door' ? parseUrl(origin ?? '') : null,
          missingTo: missingTo ?? '',
          address: originOf(host, port),
          ground,
          compiledAt,
        })
    }
    this.hosts = hosts
    this.#setUp = setUp
  }
}
let nextCompilation = 1

/** What was read of a store, by key: enough to tell whether it has changed since. */
export type Reads = ReadonlyMap<string, string>

/** Longest value that is compared as it is. */
const PLAIN_CHARS = 200
const signOf = (value: string | undefined): string =>
  value === undefined ? 'none' : value.length <= PLAIN_CHARS ? `=${value}` : createHash('sha256').update(value).digest('base64')

/** Requests that come within so long see the store as of one moment: to begin one costs as much as to answer a short link. */
const MOMENT_MS = 5

/** The store as of one moment, for all who began in it. */
class Moment {
  readonly open: OpenStore
  readonly transaction: Transaction
  readonly hosts: ReadonlyMap<string, HostEntry>
  readonly state: object
  #users = 1

  /** Is in use by whoever makes it. */
  constructor(open: OpenStore, port: number) {
    this.open = open
    // biome-ignore lint/correctness/useHookAtTopLevel: it is named like a hook of React, and is none
    this.transaction = open.store.useReadTransaction()
    open.moments++
    try {
      open.bringUpToDate(this.transaction, port)
    } catch (error) {
      this.done() // nobody else will
      throw error
    }
    this.hosts = open.hosts
    this.state = open.state
  }

  use(): void {
    this.#users++
  }

  done(): void {
    if (--this.#users > 0) return
    this.open.moments--
    this.transaction.done()
  }
}

/** What delivery answers from, as of one moment, from the start of a request to its end (invariant 2). */
export class StoreView {
  readonly #moment: Moment
  #isDone = false
  #reads: Map<string, string> | null = null

  constructor(moment: Moment) {
    this.#moment = moment
    moment.use()
  }

  /** Must be called once, when the answer needs nothing more. */
  done(): void {
    if (this.#isDone) return
    this.#isDone = true
    this.#moment.done()
  }

  #get(key: string): string | undefined {
    // After its end a view that is still asked answers as of now: a stream that a slow visitor holds for long.
    const { open, transaction } = this.#moment
    const value = open.store.get(key, this.#isDone ? undefined : { transaction })
    this.#reads?.set(key, signOf(value))
    return value
  }

  /** Values of all keys that begin so. */
  #all(prefix: string): readonly string[] {
    const range = startingWith(prefix)
    const { open, transaction } = this.#moment
    const found = open.store.getRange(this.#isDone ? range : { ...range, transaction })
    const values = [...found].map(({ value }) => value)
    this.#reads?.set(`${prefix} *`, signOf(values.join('\n')))
    return values
  }

  /** From now on what is read is written down. @returns where */
  record(): Reads {
    this.#reads = new Map()
    return this.#reads
  }

  /** Whether what was read then would be read the same now. */
  isStill(reads: Reads): boolean {
    for (const [key, sign] of reads) {
      const value = key.endsWith(' *') ? this.#all(key.slice(0, -2)).join('\n') : this.#get(key)
      if (signOf(value) !== sign) return false
    }
    return true
  }

  get generation(): string {
    return `${this.#moment.open.name} ${this.#get(KEYS.generation) ?? ''}`
  }

  /** The store is being built: what is missing in it may only be missing yet. */
  get isFilling(): boolean {
    return this.#get(KEYS.filling) !== undefined
  }

  /** The same for as long as the store holds the same: what was made of it then is right. */
  get state(): object {
    return this.#moment.state
  }

  host(name: string): HostEntry | null {
    return this.#moment.hosts.get(name) ?? null
  }

  shortLink(hostId: string, slug: string): CompiledShortLink | null {
    const line = this.#get(KEYS.shortLink(hostId, slug))
    return line === undefined ? null : readShortLink(line)
  }

  /** The redirects of a host's site; null where it has none. */
  redirects({ ground: { setup } }: HostEntry): RedirectSource | null {
    if (this.#get(KEYS.conditional(setup.siteId)) === undefined) return null
    const { open, transaction } = this.#moment
    return redirectsIn(setup.siteId, setup.tolerance ?? TOLERANCE, open.patternsOf(setup.siteId, transaction), (key) => this.#get(key))
  }

  page({ ground: { setup } }: HostEntry, path: string): StoredPage | null {
    return this.#json<StoredPage>(KEYS.page(setup.siteId, path))
  }

  /** Where the page stands whose path differs by capitals alone. */
  pathByCapitals(entry: HostEntry, path: string): string | null {
    const folded = path.toLowerCase()
    if (folded !== path && this.page(entry, folded) !== null) return folded
    return this.#get(KEYS.folded(entry.ground.setup.siteId, folded)) ?? null
  }

  file({ ground: { setup } }: HostEntry, path: string): StoredFile | null {
    return this.#json<StoredFile>(KEYS.file(setup.siteId, path))
  }

  #json<T>(key: string): T | null {
    const json = this.#get(key)
    return json === undefined ? null : (JSON.parse(json) as T)
  }

  /** Pages that share a word with a path, or the beginning of one. As many are looked at however many there are. */
  pagesNear({ ground: { setup } }: HostEntry, path: string): { readonly path: string; readonly title: string }[] {
    const { open, transaction } = this.#moment
    const near = new Map<string, { path: string; title: string }>()
    const take = (beginning: string): void => {
      const prefix = `word ${setup.siteId} ${beginning}`
      const range = { start: prefix, end: `${prefix}\uffff`, limit: NEAR_A_WORD }
      for (const { value } of open.store.getRange(this.#isDone ? range : { ...range, transaction })) {
        const page = JSON.parse(value) as { path: string; title: string }
        near.set(page.path, page)
      }
    }
    for (const word of wordsOfPage(path, '').slice(0, NEAR_WORDS)) {
      take(`${word} `)
      if (word.length > NEAR_LETTERS) take(word.slice(0, NEAR_LETTERS))
    }
    return [...near.values()]
  }

  /**
   * Addresses of a host's site that a sitemap names, a stretch at a time: its pages, and rows of redirects that are not hidden.
   * @param after - the last key of the stretch before; null for the first
   */
  listed({ ground: { setup } }: HostEntry, after: string | null, limit: number): { paths: string[]; next: string | null } {
    const paths: string[] = []
    const { open, transaction } = this.#moment
    for (const kind of ['page', 'listed'] as const) {
      const { start, end } = startingWith(`${kind} ${setup.siteId}`)
      if (after !== null && after >= end) continue
      const from = after === null || after < start ? start : `${after}\0`
      const range = { start: from, end, limit: limit - paths.length }
      for (const { key, value } of open.store.getRange(this.#isDone ? range : { ...range, transaction })) {
        paths.push(kind === 'page' ? (JSON.parse(value) as StoredPage).path : value)
        if (paths.length >= limit) return { paths, next: String(key) }
      }
    }
    return { paths, next: null }
  }

  /** Another one whenever links of the host's site may be judged otherwise: ends the entity tags of pages that pass a front door. */
  stamp({ ground: { setup } }: HostEntry): string {
    return this.#get(KEYS.stamp(setup.siteId)) ?? ''
  }

  /** Finds shared parts of the host's site. */
  parts({ ground: { setup } }: HostEntry): PartFinder {
    return (kind, name) => this.#get(KEYS.part(setup.siteId, `${kind} ${name}`)) ?? null
  }

  /** Destinations that wait for an editor on a page, or on a part that it may hold. */
  waiting({ ground: { setup } }: HostEntry, pageId: string): readonly string[] {
    const own = this.#json<string[]>(KEYS.waiting(setup.siteId, pageId)) ?? []
    const shared = this.#all(`shared ${setup.siteId}`).flatMap((json) => JSON.parse(json) as string[])
    return shared.length === 0 ? own : [...own, ...shared]
  }

  /** The site as links are judged by. */
  site(entry: HostEntry): CompiledSite {
    const { hosts } = entry.ground.setup
    return withShortLinks(entry.ground, (host, slug) => {
      const short = hosts.find((each) => each.host === host)
      return short === undefined ? null : (this.shortLink(short.id, slug)?.destination ?? null)
    })
  }
}

/** Reads the store that a follower keeps up to date: this process's, or another's on the same machine. */
export class DeliveryStore {
  readonly places: StorePlaces
  readonly #port: number
  readonly #log: Logger
  readonly #onDamage: () => void
  #current: OpenStore | null = null
  #moment: Moment | null = null
  #momentEnds: NodeJS.Timeout | undefined
  #timer: NodeJS.Timeout | undefined
  #toldFault = ''

  /** @param onDamage - told when the store cannot be read, so that somebody builds it anew */
  constructor(places: StorePlaces, { port, log, onDamage = () => {} }: { port: number; log: Logger; onDamage?: () => void }) {
    this.places = places
    this.#port = port
    this.#log = log
    this.#onDamage = onDamage
    this.look()
    this.#timer = setInterval(() => this.look(), LOOK_MS).unref()
  }

  get isOpen(): boolean {
    return this.#current !== null
  }

  /** Whether everything is in it that is to be answered. */
  get isWhole(): boolean {
    const view = this.begin()
    const isFilling = view?.isFilling ?? true
    view?.done()
    return !isFilling
  }

  /** Takes up another store when one was built; the one before it stays open for whom it still answers. */
  look(): void {
    if (this.places.current === (this.#current?.name ?? null) && this.#current !== null) return
    try {
      const found = this.places.openCurrent()
      if (found === null) return
      const before = this.#current
      this.#current = new OpenStore(found.name, found.store)
      if (before !== null) closeWhenUnused(before)
    } catch (error) {
      const fault = error instanceof Error ? error.message : 'unknown'
      if (fault !== this.#toldFault) this.#log.warn({ fault }, 'the delivery store cannot be read; it is built anew')
      this.#toldFault = fault
      this.#onDamage()
    }
  }

  /** What is to be answered from, as of now; null where there is nothing yet. Its `done` must be called. */
  begin(): StoreView | null {
    if (this.#current === null) return null
    try {
      if (this.#moment === null || this.#moment.open !== this.#current) this.#beginMoment(this.#current)
      return this.#moment === null ? null : new StoreView(this.#moment)
    } catch (error) {
      this.#log.error({ err: error }, 'the delivery store cannot be read')
      this.#onDamage()
      return null
    }
  }

  #beginMoment(open: OpenStore): void {
    this.#endMoment()
    this.#moment = new Moment(open, this.#port)
    this.#momentEnds = setTimeout(() => this.#endMoment(), MOMENT_MS).unref()
  }

  /** Nobody begins in it any more; those who have still see it. */
  #endMoment(): void {
    clearTimeout(this.#momentEnds)
    this.#moment?.done()
    this.#moment = null
  }

  /** What answers on a host, as of now. */
  host(name: string): HostEntry | null {
    const view = this.begin()
    const entry = view?.host(name) ?? null
    view?.done()
    return entry
  }

  /** Something is missing that the store names. */
  reportDamage(): void {
    this.#onDamage()
  }

  blobFile(hash: string): string {
    return this.places.blobFile(hash)
  }

  async close(): Promise<void> {
    clearInterval(this.#timer)
    this.#endMoment()
    await this.#current?.store.close()
    this.#current = null
  }
}

function closeWhenUnused(open: OpenStore): void {
  const timer = setInterval(() => {
    if (open.moments > 0) return
    clearInterval(timer)
    void open.store.close()
  }, LOOK_MS).unref()
}
