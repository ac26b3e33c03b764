import { parseUrl, pathSpellings } from '../../core/address/index.ts'
import {
  isPlain,
  leadsOn,
  matchRedirect,
  pathKey,
  plainPath,
  type Redirect,
  type RedirectMatch,
  RedirectTable,
  readyRedirect,
  redirectKey,
  stemsOf,
  TOLERANCE,
} from '../../core/routing/index.ts'
import { originOf, type SiteGround } from '../../core/rules/index.ts'
import type { Database, Transaction } from '../../data/database.ts'
import { asOfNow } from '../../data/delivered.ts'
import {
  askedRedirects,
  type DeliveredRedirect,
  livePaths,
  pagePathsByCapitals,
  redirectGroups,
  underRedirects,
} from '../../data/redirects.ts'

/** Steps that a way is followed for; longer ones are for the review. */
const STEPS_MAX = 12

/** Rows for everything under a path that are read all at once; of more, those that an address brings up. */
const UNDER_AT_ONCE = 2_000

/** Where somebody is sent by a row, in the end. */
export interface Way {
  /** Paths or addresses in their order, from where the row is asked. */
  readonly stops: readonly string[]
  /** "loop": it comes back to where it has been; "page": a page of ours; "nothing": no page there; "outside": elsewhere; "long": given up. */
  readonly end: 'loop' | 'page' | 'nothing' | 'outside' | 'long' | 'nowhere'
}

/**
 * Follows ways through a site's rows, with some that are not kept yet among them. Rows are read as ways bring them up, those of
 * many ways at once; the ones that have to be asked are read once.
 */
export class RedirectChains {
  readonly #db: Database
  readonly #view: SiteGround
  readonly #port: number
  readonly #isForMany: boolean
  readonly #table: RedirectTable
  readonly #known = new Map<string, Redirect>()
  readonly #asked = new Set<string>()
  readonly #live = new Map<string, boolean>()
  #hasWide = false
  #hasUnder = false

  /** @param isForMany - many addresses are going to be asked about */
  constructor(db: Database, view: SiteGround, port: number, isForMany = false) {
    this.#db = db
    this.#isForMany = isForMany
    this.#view = view
    this.#port = port
    this.#table = new RedirectTable(view.setup.tolerance ?? TOLERANCE)
  }

  /** Takes a row in, in place of the one of its id. One that is off, or gone, is taken out by `isOn`. */
  put(row: Redirect, isOn = true): void {
    const before = this.#known.get(row.id)
    if (before !== undefined) this.#table.remove(before)
    this.#known.delete(row.id)
    if (isOn) this.#add(row)
    // What stands in the database of it is not to come back.
    this.#replaced.add(row.id)
  }
  readonly #replaced = new Set<string>()

  /** Takes in what was read for these rows: all that is kept at the paths of the exact ones. */
  learn(rows: readonly Pick<Redirect, 'match' | 'from'>[], kept: readonly (DeliveredRedirect & { readonly isOn: boolean })[]): void {
    for (const row of rows) if (row.match === 'exact') this.#asked.add(`exact ${redirectKey(row)}`)
    this.#take(kept.filter(({ match, isOn }) => match === 'exact' && isOn))
  }

  /** Rows that are remembered. */
  get size(): number {
    return this.#known.size
  }

  /** Reads what is at the addresses of these rows, of all at once. */
  async know(rows: readonly Pick<Redirect, 'match' | 'from' | 'hosts'>[], transaction: Transaction): Promise<void> {
    const exact = rows.filter(({ match }) => match === 'exact')
    await this.#read(
      exact.map((row) => (isPlain(row.from) ? row.from : this.#ownAddress(row).pathname)),
      transaction,
    )
    // Paths as they are written, too: that is how they are asked about.
    await this.#readPages(
      exact.map(({ from }) => from),
      transaction,
    )
  }

  /** Whether a page or file is live at a path that was asked about: see {@link know}. */
  hasPage(path: string): boolean {
    return this.#isLive(path)
  }

  /** Which of these addresses of the site somebody gets an answer at: from a page, or from a row. @returns them as they are written in full */
  async answered(addresses: readonly URL[], transaction: Transaction): Promise<ReadonlySet<string>> {
    await this.#read(
      addresses.map(({ pathname }) => pathname),
      transaction,
    )
    const isAnswered = (url: URL): boolean => {
      const isPage = this.#isOwn(url) && this.#isLive(url.pathname)
      return isPage || matchRedirect(this.#askedAt(url), this.#table, () => isPage) !== null
    }
    return new Set(addresses.filter(isAnswered).map(({ href }) => href))
  }

  /** From which of these addresses, at which no page is, visitors are led to a page or out of the site. @returns them as they were given */
  async landing(addresses: readonly URL[], transaction: Transaction): Promise<URL[]> {
    const landed: URL[] = []
    let going = addresses.map((address) => ({ address, url: address }))
    for (let step = 0; going.length > 0 && step < STEPS_MAX; step++) {
      await this.#read(
        going.map(({ url }) => url.pathname),
        transaction,
      )
      const next: typeof going = []
      for (const { address, url } of going) {
        if (this.#isLive(url.pathname)) {
          landed.push(address)
          continue
        }
        const location = matchRedirect(this.#askedAt(url), this.#table, () => false)?.location ?? null
        const to = location === null ? null : parseUrl(location)
        if (to === null) continue
        if (this.#isOwn(to)) next.push({ address, url: to })
        else landed.push(address)
      }
      going = next
    }
    return landed
  }

  /** Where each of these rows sends to. They have to have been put in before. */
  async follow(rows: readonly Redirect[], transaction: Transaction): Promise<Map<string, Way>> {
    const done = new Map<string, Way>()
    let going = rows.flatMap((row) => {
      const start = this.#startOf(row)
      if (start === null) done.set(row.id, { stops: [row.from], end: 'nowhere' })
      return start === null ? [] : [{ row, stops: [row.from], url: start }]
    })
    for (let step = 0; going.length > 0; step++) {
      const inside = going.filter(({ url }) => this.#isOwn(url))
      await this.#read(
        inside.map(({ url }) => url.pathname),
        transaction,
      )
      const next: typeof going = []
      for (const { row, stops, url } of going) {
        const name = this.#isOwn(url) ? plainPath(url.pathname) + url.search : url.href
        const end = (how: Way['end']): void => void done.set(row.id, { stops: [...stops, name], end: how })
        if (!this.#isOwn(url)) end('outside')
        else if (this.#isLive(url.pathname)) end('page')
        else {
          const found = matchRedirect(this.#askedAt(url), this.#table, () => this.#isLive(url.pathname))
          if (found === null) end('nothing')
          else if (found.row.id === row.id || stops.slice(1).includes(name)) end('loop')
          else if (found.location === null) end('nowhere')
          else if (step >= STEPS_MAX) end('long')
          else {
            const to = parseUrl(found.location)
            if (to === null) end('nowhere')
            else next.push({ row, stops: [...stops, name], url: to })
          }
        }
      }
      going = next
    }
    return done
  }

  /**
   * Puts rows in one after the other, as far as they close no circle: where several do so together, it is the last of them.
   * @returns where each sends to; one that closes a circle is left out of the table
   */
  async settle(rows: readonly Redirect[], transaction: Transaction): Promise<Map<string, Way>> {
    for (const row of rows) this.put(row)
    const found = await this.follow(rows, transaction)
    const round = rows.filter(({ id }) => found.get(id)?.end === 'loop')
    for (const row of round) this.put(row, false)
    for (const row of round) {
      this.put(row)
      const way = (await this.follow([row], transaction)).get(row.id)
      if (way !== undefined) found.set(row.id, way)
      if (way?.end === 'loop') this.put(row, false)
    }
    return found
  }

  /** Row that is asked before this one for its own address, and answers: it is never reached there. See {@link know}. */
  before(row: Redirect): Redirect | null {
    if (row.match !== 'exact' || !this.#table.mayComeLate(row)) return null
    const found = matchRedirect(this.#askedAt(this.#ownAddress(row), row), this.#table, () => false)
    return found === null || found.row.id === row.id ? null : found.row
  }

  #ownAddress({ from, hosts }: Pick<Redirect, 'from' | 'hosts'>): URL {
    return new URL(from, this.#originOf(hosts[0]))
  }

  #startOf(row: Redirect): URL | null {
    if (!leadsOn(row.status)) return null
    const ready = readyRedirect(row, TOLERANCE)
    if (!ready.ok || ready.value.destination === null) return null
    // Of many addresses, one that stands for them: what groups catch is left out.
    if (row.match !== 'exact' && row.match !== 'under' && /\$\w/.test(row.to)) return null
    // On a short host nothing stands but short links: a path is one of the site's.
    const isShort = this.#view.setup.hosts.some(({ host, kind }) => host === row.hosts[0] && kind === 'short')
    const origin = isShort ? this.#view.origin : this.#originOf(row.hosts[0])
    const location = ready.value.destination.fill([], '', origin)
    return location === null ? null : parseUrl(location)
  }

  #originOf(host: string | undefined): string {
    return host === undefined ? this.#view.origin : originOf(host, this.#port)
  }

  #isOwn(url: URL): boolean {
    return this.#view.setup.hosts.some(({ host, kind }) => host === url.hostname && kind === 'site')
  }

  #askedAt(url: URL, as?: Redirect) {
    return {
      host: url.hostname,
      origin: this.#originOf(url.hostname),
      isByNameOnly: !this.#isOwn(url),
      path: plainPath(url.pathname),
      query:
        url.search.slice(1) ||
        (as?.when.query ?? []).map(({ name, value }) => `${encodeURIComponent(name)}=${encodeURIComponent(value ?? '')}`).join('&'),
      language: as?.when.languages?.[0] ?? null,
      device: as?.when.devices?.[0] ?? ('other' as const),
      nowMs: as?.when.fromMs ?? Date.now(),
    }
  }

  /** Reads the rows that many addresses bring up, once: patterns, and for many addresses those for everything under a path as well, unless they are too many. */
  async #readWide(transaction: Transaction): Promise<void> {
    if (this.#hasWide) return
    this.#hasWide = true
    const { siteId } = this.#view.setup
    this.#take(await askedRedirects(this.#db, siteId, transaction))
    if (!this.#isForMany) return
    const under = await underRedirects(this.#db, siteId, UNDER_AT_ONCE + 1, transaction)
    this.#hasUnder = under.length <= UNDER_AT_ONCE
    if (this.#hasUnder) this.#take(under)
  }

  /** @param paths - as they stand in addresses */
  async #read(paths: readonly string[], transaction: Transaction): Promise<void> {
    await this.#readWide(transaction)
    const wanted = new Map<string, { match: RedirectMatch; key: string }>()
    const want = (match: RedirectMatch, key: string): void => {
      const name = `${match} ${key}`
      if (this.#asked.has(name)) return
      this.#asked.add(name)
      wanted.set(name, { match, key })
    }
    for (const path of paths) {
      const key = pathKey(plainPath(path), TOLERANCE)
      want('exact', key)
      if (!this.#hasUnder) for (const stem of stemsOf(key)) want('under', stem)
    }
    if (wanted.size > 0)
      this.#take(
        (await redirectGroups(this.#db, this.#view.setup.siteId, [...wanted.values()], transaction)).flatMap((group) => group.rows),
      )
    await this.#readPages(paths, transaction)
  }

  #take(rows: readonly DeliveredRedirect[]): void {
    for (const row of rows) {
      if (this.#known.has(row.id) || this.#replaced.has(row.id)) continue
      this.#add(row)
    }
  }

  #add(row: Redirect): void {
    this.#table.take(row)
    this.#known.set(row.id, row)
  }

  async #readPages(paths: readonly string[], transaction: Transaction): Promise<void> {
    const unknown = [...new Set(paths)].filter((path) => !this.#live.has(path))
    if (unknown.length === 0) return
    const spelt = new Map(unknown.map((path) => [path, [path, ...pathSpellings(path)]]))
    const { siteId, tolerance = TOLERANCE } = this.#view.setup
    const spellings = [...new Set([...spelt.values()].flat())]
    const wide = tolerance.ignoresCase
      ? [...spellings, ...(await pagePathsByCapitals(this.#db, siteId, spellings, transaction))]
      : spellings
    const fold = (path: string): string => (tolerance.ignoresCase ? path.toLowerCase() : path)
    const live = new Set([...(await livePaths(this.#db, siteId, wide, transaction))].map(fold))
    for (const [path, all] of spelt)
      this.#live.set(
        path,
        all.some((each) => live.has(fold(each))),
      )
  }

  #isLive(path: string): boolean {
    return this.#live.get(path) ?? false
  }
}

/** Addresses that are asked about in one transaction. */
const ASKED_AT_ONCE = 1_000

/** Those of a site's paths without a page from which redirects lead to somewhere. */
export async function ledAmong(db: Database, view: SiteGround, port: number, paths: readonly string[]): Promise<string[]> {
  const led: string[] = []
  const ways = new RedirectChains(db, view, port)
  for (let from = 0; from < paths.length; from += ASKED_AT_ONCE) {
    const addresses = paths.slice(from, from + ASKED_AT_ONCE).flatMap((path) => parseUrl(path, `${view.origin}/`) ?? [])
    const landed = await asOfNow(db, (transaction) => ways.landing(addresses, transaction))
    led.push(...landed.map(({ pathname }) => pathname))
  }
  return led
}
