import type { Logger } from 'pino'
import { redirectKey } from '../../core/routing/index.ts'
import { type Change, changesAfter, type Followed, followChanges, type LogEnd, logEnds, SET_UP } from '../../data/changes.ts'
import type { Database, Transaction } from '../../data/database.ts'
import { asOfNow, deliveredFiles, deliveredPages, deliveredShortLinks, deliveredWaiting } from '../../data/delivered.ts'
import {
  hasConditionalRedirects,
  hasRedirects,
  type RedirectGroup,
  redirectGroups,
  redirectGroupsAfter,
  redirectKeys,
} from '../../data/redirects.ts'
import { readSiteSetup } from '../../data/sites.ts'
import { BlobKeeper } from './blobs.ts'
import { FORMAT, KEYS, startingWith } from './format.ts'
import type { Store, StorePlaces } from './places.ts'
import { filePuts, type Put, pagePuts, redirectPuts, replacing, shortLinkPuts, withIndex } from './puts.ts'
import { readPatternTurn, type StoredRedirect, writePatternTurn } from './redirects.ts'

/** Rows read at once. */
const STEP = 2_000

/** After more changes than these a store is built anew, which costs no more. */
const FOLLOWED_MAX = 100_000

/** The log is looked at even when nothing was announced: a lost connection must not go unnoticed. */
const LOOK_MS = 5_000

const RECONNECT_MS = 1_000

/** While a store is built, changes are taken over this often. */
const BETWEEN_MS = 1_000

/**
 * Keeps a machine's delivery store the same as the database: reads what comes after its own number in each site's log, and
 * writes all of it at once, so that whoever reads the store sees each change whole. It works in a thread of its own.
 */
export class Follower {
  readonly #db: Database
  readonly #places: StorePlaces
  readonly #log: Logger
  readonly #blobs: BlobKeeper
  readonly #onBuilt: (isWhole: boolean) => void
  readonly #betweenMs: number
  #open: { name: string; store: Store } | null = null
  #followed: Followed | null = null
  #working: Promise<void> | null = null
  #isAskedAgain = false
  #isStopped = false
  #isDamaged = false
  #isToldAway = false
  #timer: NodeJS.Timeout | undefined

  /**
   * @param onBuilt - told when there is another store to answer from, and whether everything is in it; if not, again when it is
   * @param betweenMs - how often changes are taken over while a store is built
   */
  constructor(db: Database, places: StorePlaces, log: Logger, onBuilt: (isWhole: boolean) => void = () => {}, betweenMs = BETWEEN_MS) {
    this.#onBuilt = onBuilt
    this.#betweenMs = betweenMs
    this.#db = db
    this.#places = places
    this.#log = log
    this.#blobs = new BlobKeeper(db, places)
  }

  /** Follows until it is stopped. Of several on one machine one writes; another takes over when that one ends. */
  async run(): Promise<void> {
    this.#timer = setInterval(() => void this.#lookAgain(), LOOK_MS)
    while (!this.#isStopped) {
      try {
        this.#followed = await followChanges(this.#db.url, this.#places.id, () => void this.#lookAgain())
        if (this.#followed !== null) {
          await this.#lookAgain()
          await this.#followed.lost
        }
      } catch {
        if (!this.#isToldAway) this.#log.warn('the database does not answer; delivery goes on from its store')
        this.#isToldAway = true
      }
      await this.#followed?.end()
      this.#followed = null
      await this.#close() // whoever writes next must find nobody else at it
      if (!this.#isStopped) await new Promise((resolve) => setTimeout(resolve, RECONNECT_MS))
    }
  }

  async stop(): Promise<void> {
    this.#isStopped = true
    clearInterval(this.#timer)
    await this.#working?.catch(() => {})
    await this.#followed?.end()
    await this.#close()
  }

  async #lookAgain(): Promise<void> {
    if (this.#followed === null) return
    try {
      await this.catchUp()
      this.#isToldAway = false
    } catch (error) {
      if (!this.#isToldAway && !this.#isStopped) this.#log.warn({ err: error }, 'delivery could not follow; it goes on from what it has')
      this.#isToldAway = true
    }
  }

  /** How many changes the store is behind the logs of all sites; null while the database is away, or there is no store. */
  async lag(): Promise<number | null> {
    const store = this.#open?.store
    if (store === undefined) return null
    const ends = await logEnds(this.#db).catch(() => null)
    return ends === null ? null : ends.reduce((sum, { siteId, number }) => sum + number - Number(store.get(KEYS.number(siteId)) ?? 0), 0)
  }

  /** The store cannot be read, or lacks something: it is built anew from the database as soon as that answers. */
  rebuildSoon(): void {
    this.#isDamaged = true
    void this.#lookAgain()
  }

  /** Brings the store up to the end of every log. Calls that come meanwhile are answered by one more look. */
  catchUp(): Promise<void> {
    if (this.#working !== null) {
      this.#isAskedAgain = true
      return this.#working
    }
    this.#working = this.#catchUpAll().finally(() => {
      this.#working = null
    })
    return this.#working
  }

  async #catchUpAll(): Promise<void> {
    do {
      this.#isAskedAgain = false
      const open = this.#isDamaged ? null : this.#openOrNull()
      if (open === null || isFilling(open.store) || !(await this.#follow(open.store))) await this.rebuild()
      this.#isDamaged = false
      await this.#blobs.removeUnused(this.#open?.store ?? null)
    } while (this.#isAskedAgain)
  }

  #openOrNull(): { name: string; store: Store } | null {
    if (this.#open !== null && this.#open.name === this.#places.current) return this.#open
    try {
      this.#open = this.#places.openCurrent()
    } catch (error) {
      this.#log.warn({ fault: error instanceof Error ? error.message : 'unknown' }, 'the delivery store is built anew')
      this.#open = null
    }
    return this.#open
  }

  async #close(): Promise<void> {
    const open = this.#open
    this.#open = null
    await open?.store.close()
  }

  /** @returns false where the store cannot be brought up to date by the log */
  async #follow(store: Store): Promise<boolean> {
    const numbers = new Map(
      [...store.getRange(startingWith('number'))].map(({ key, value }) => [key.slice('number '.length), Number(value)]),
    )
    const fresh = await this.#apply(store, numbers, true)
    if (fresh === null) return false
    for (const siteId of fresh) {
      const number = await this.#found(store, siteId, false)
      await this.#fillSite(store, siteId, async () => {})
      // Only now: a process that ends before this fills it again.
      this.#commit(store, [[KEYS.number(siteId), number]], false)
    }
    return true
  }

  /**
   * Takes over what was changed since, all of it at once.
   * @param numbers - by site, since when; brought up to date
   * @param isWhole - the store has everything from before, and notes how far it is
   * @returns sites of which the store knows nothing yet; null where the log does not tell what is different
   */
  async #apply(store: Store, numbers: Map<string, number>, isWhole: boolean): Promise<string[] | null> {
    return asOfNow(this.#db, async (transaction) => {
      const puts: Put[] = []
      let isSetUp = false
      const ends = await logEnds(this.#db, null, transaction)
      const known = new Set(ends.map(({ siteId }) => siteId))
      for (const siteId of numbers.keys()) if (!known.has(siteId)) return null // a site is gone
      const fresh: string[] = []
      for (const end of ends) {
        const after = numbers.get(end.siteId)
        if (after === undefined) fresh.push(end.siteId)
        if (after === undefined || after === end.number) continue
        if (after > end.number) return null // a database from before
        const changes = await this.#changesOf(end, after, transaction)
        if (changes === null) return null
        isSetUp ||= changes.some(({ capability }) => SET_UP.has(capability))
        puts.push(...(await this.#putsOf(store, end.siteId, changes, transaction)))
        if (isWhole) puts.push([KEYS.number(end.siteId), String(end.number)])
        if (changes.some(({ capability }) => SET_UP.has(capability) || capability === 'short-links'))
          puts.push([KEYS.stamp(end.siteId), String(end.number)])
        numbers.set(end.siteId, end.number)
      }
      if (puts.length === 0) return fresh
      await this.#blobs.bring(this.#contentsIn(puts))
      this.#commit(store, puts, isSetUp)
      return fresh
    })
  }

  #commit(store: Store, puts: readonly Put[], isSetUp: boolean): void {
    store.transactionSync(() => {
      this.#write(store, puts)
      store.putSync(KEYS.generation, String(Number(store.get(KEYS.generation) ?? 0) + 1))
      if (isSetUp) store.putSync(KEYS.setUp, String(Number(store.get(KEYS.setUp) ?? 0) + 1))
    })
  }

  async #changesOf({ siteId, number }: LogEnd, after: number, transaction: Transaction): Promise<Change[] | null> {
    if (number - after > FOLLOWED_MAX) return null
    const changes: Change[] = []
    for (let at = after; at < number; at = changes[changes.length - 1]?.number ?? number) {
      const found = await changesAfter(this.#db, { siteId, after: at, limit: STEP }, transaction)
      if (found === null || found.length === 0) return null
      changes.push(...found)
    }
    return changes
  }

  /** What becomes of the store by these changes: rows are read as they are now, not as they were at each change. */
  async #putsOf(store: Store, siteId: string, changes: readonly Change[], transaction: Transaction): Promise<Put[]> {
    const keysOf = (capability: Change['capability'], what?: Change['what']): string[] => [
      ...new Set(
        changes.filter((each) => each.capability === capability && (what === undefined || each.what === what)).map(({ key }) => key),
      ),
    ]
    const puts: Put[] = []
    if (changes.some(({ capability }) => SET_UP.has(capability))) puts.push(await this.#siteOf(siteId, transaction))
    for (const ids of stretches(keysOf('short-links'))) {
      const found = new Map((await deliveredShortLinks(this.#db, siteId, { ids }, transaction)).map((link) => [link.id, link]))
      for (const id of ids) puts.push(...replacing(store, id, shortLinkPuts(found.get(id) ?? null)))
    }
    for (const ids of stretches(keysOf('pages', 'published'))) {
      const found = new Map((await deliveredPages(this.#db, siteId, { ids }, transaction)).map((page) => [page.id, page]))
      for (const id of ids) puts.push(...replacing(store, id, pagePuts(siteId, found.get(id) ?? null)))
    }
    for (const ids of stretches(keysOf('files', 'published'))) {
      const found = new Map((await deliveredFiles(this.#db, siteId, { ids }, transaction)).map((file) => [file.id, file]))
      for (const id of ids) puts.push(...replacing(store, id, filePuts(siteId, found.get(id) ?? null)))
    }
    const redirects = keysOf('redirects')
    if (redirects.length > 0) puts.push(...(await this.#redirectsOf(store, siteId, redirects, transaction)))
    const waiting = keysOf('waiting')
    if (waiting.length > 0) {
      for (const id of waiting) puts.push([KEYS.waiting(siteId, id), null], [KEYS.sharedWaiting(siteId, id), null])
      puts.push(...(await this.#waitingOf(siteId, waiting, transaction)))
    }
    return puts
  }

  /** What becomes of rows of redirects, and of those that are found by the same as they are, or were. */
  async #redirectsOf(store: Store, siteId: string, ids: readonly string[], transaction: Transaction): Promise<Put[]> {
    const before = new Set(ids.flatMap((id) => JSON.parse(store.get(KEYS.of(id)) ?? '[]') as string[]))
    const now = await redirectKeys(this.#db, siteId, ids, transaction)
    const wanted = new Map(now.map(({ match, key }) => [`${match} ${key}`, { match, key }]))
    for (const at of before) {
      const [row] = JSON.parse(store.get(at) ?? '[]') as StoredRedirect[]
      if (row === undefined) continue
      const key = row.literals === undefined ? redirectKey(row) : row.from
      wanted.set(`${row.match} ${key}`, { match: row.match, key })
    }
    const groups = new Map((await redirectGroups(this.#db, siteId, [...wanted.values()], transaction)).map((group) => [group.id, group]))
    const here = new Set(now.map(({ id }) => id))
    const puts = ids
      .filter((id) => !here.has(id))
      .flatMap((id): Put[] => [
        [KEYS.of(id), null],
        [KEYS.listed(siteId, id), null],
      ])
    for (const [id, { match, key }] of wanted) {
      const group = groups.get(id)
      if (group === undefined) puts.push([KEYS.redirects(siteId, match, key), null])
      else puts.push(...redirectPuts(siteId, group))
    }
    const asked = [...wanted.values()].filter(({ match }) => match === 'pattern' || match === 'expression')
    if (asked.length > 0) puts.push(this.#patternTurn(store, siteId, asked))
    return [...puts, await this.#conditionalOf(siteId, transaction)]
  }

  async #conditionalOf(siteId: string, transaction: Transaction): Promise<Put> {
    return [KEYS.conditional(siteId), (await hasConditionalRedirects(this.#db, siteId, transaction)) ? '1' : '0']
  }

  async #siteOf(siteId: string, transaction: Transaction): Promise<Put> {
    const setup = await readSiteSetup(this.#db, siteId, transaction)
    return [KEYS.site(siteId), setup === null ? null : JSON.stringify(setup)]
  }

  async #waitingOf(siteId: string, pageIds: readonly string[] | null, transaction: Transaction): Promise<Put[]> {
    const found = await deliveredWaiting(this.#db, siteId, pageIds, transaction)
    return found.map(({ pageId, isShared, addresses }) => [
      isShared ? KEYS.sharedWaiting(siteId, pageId) : KEYS.waiting(siteId, pageId),
      JSON.stringify(addresses),
    ])
  }

  #contentsIn(puts: readonly Put[]): string[] {
    return puts.flatMap(([key, value]) => (value !== null && key.startsWith('use ') ? [key.split(' ')[1] ?? ''] : []))
  }

  #write(store: Store, puts: readonly Put[]): void {
    for (const [key, value] of puts) {
      if (value !== null) store.putSync(key, value)
      else {
        if (key.startsWith('use ')) this.#blobs.perhapsUnused(key.split(' ')[1] ?? '')
        store.removeSync(key)
      }
    }
  }

  /**
   * Builds a store from the database, a stretch at a time: a million rows are never in memory at once. What changes meanwhile is
   * taken over between two stretches, by the store that is answered from until then as well. Where there is none, or none that can
   * be read, the new one is answered from as soon as it knows the sites.
   */
  async rebuild(): Promise<void> {
    const startedAt = performance.now()
    const name = this.#places.newName()
    const store = this.#places.open(name)
    const before = this.#isDamaged ? null : this.#open
    let isCurrent = false
    const use = (): void => {
      this.#places.makeCurrent(name)
      this.#open = { name, store }
      isCurrent = true
    }
    try {
      const ends = await logEnds(this.#db)
      const numbers = new Map(ends.map(({ siteId, number }) => [siteId, number]))
      const since = new Map(numbers)
      store.transactionSync(() =>
        this.#write(store, [
          [KEYS.format, FORMAT],
          [KEYS.filling, '1'],
        ]),
      )
      for (const { siteId } of ends) await this.#found(store, siteId, true)
      if (before === null) {
        use()
        this.#onBuilt(false)
      }
      let lookedAt = performance.now()
      const between = async (): Promise<void> => {
        if (this.#isStopped) throw new Error('The store was not built to its end: the process is stopping')
        if (performance.now() - lookedAt < this.#betweenMs) return
        lookedAt = performance.now()
        // What the log cannot tell is told by the store that is being built, in the end.
        if (before !== null) {
          for (const siteId of (await this.#apply(before.store, since, false)) ?? []) {
            await this.#found(before.store, siteId, false)
            since.set(siteId, 0)
          }
        }
        await this.#apply(store, numbers, true)
      }
      for (const { siteId } of ends) await this.#fillSite(store, siteId, between)
      if (!(await this.#follow(store))) throw new Error('The store was not built to its end: a site is gone')
      this.#commit(store, [[KEYS.filling, null]], true)
      await store.flushed
    } catch (error) {
      if (!isCurrent) {
        await store.close()
        this.#places.remove(name)
      }
      throw error
    }
    if (!isCurrent) {
      await this.#close()
      use()
    }
    this.#onBuilt(true)
    this.#places.removeAllBut(name)
    this.#log.info({ ms: Math.round(performance.now() - startedAt) }, 'the delivery store is built')
  }

  /**
   * Puts in what it takes to know a site: hosts, rules, partners.
   * @param isNoted - how far in its log the site is at least is noted, before its rows are there
   * @returns that number
   */
  async #found(store: Store, siteId: string, isNoted: boolean): Promise<string> {
    return asOfNow(this.#db, async (transaction) => {
      const [end] = await logEnds(this.#db, siteId, transaction)
      const number = String(end?.number ?? 0)
      const puts = [await this.#siteOf(siteId, transaction), ...(await this.#waitingOf(siteId, null, transaction))]
      if (await hasRedirects(this.#db, siteId, transaction)) puts.push(await this.#conditionalOf(siteId, transaction))
      if (isNoted) puts.push([KEYS.number(siteId), number])
      this.#commit(store, [...puts, [KEYS.stamp(siteId), number]], true)
      return number
    })
  }

  /** Puts in all of a site's rows, as they are when they are read. @param between - awaited after each stretch */
  async #fillSite(store: Store, siteId: string, between: () => Promise<void>): Promise<void> {
    const fill = async <Row extends { readonly id: string }>(
      read: (wanted: { after: string | null; limit: number }, transaction: Transaction) => Promise<readonly Row[]>,
      putsOf: (row: Row) => readonly Put[],
      limit = STEP,
    ): Promise<void> => {
      for (let after: string | null = null; ; ) {
        const wanted: { after: string | null; limit: number } = { after, limit }
        const found: readonly Row[] = await asOfNow(this.#db, (transaction) => read(wanted, transaction))
        const puts = found.flatMap((row) => withIndex(row.id, putsOf(row)))
        await this.#blobs.bring(this.#contentsIn(puts))
        if (puts.length > 0) this.#commit(store, puts, false)
        await between()
        const last = found[found.length - 1]
        if (last === undefined) return
        after = last.id
      }
    }
    await fill(
      (wanted, transaction) => deliveredPages(this.#db, siteId, wanted, transaction),
      (page) => pagePuts(siteId, page),
      STEP / 10,
    )
    await fill(
      (wanted, transaction) => deliveredFiles(this.#db, siteId, wanted, transaction),
      (file) => filePuts(siteId, file),
    )
    await fill(
      (wanted, transaction) => deliveredShortLinks(this.#db, siteId, wanted, transaction),
      (link) => shortLinkPuts(link),
    )
    for (let after: RedirectGroup | null = null; ; ) {
      const wanted: { after: RedirectGroup | null; limit: number } = { after, limit: STEP }
      const found: RedirectGroup[] = await asOfNow(this.#db, (transaction) => redirectGroupsAfter(this.#db, siteId, wanted, transaction))
      const asked = found.filter(({ match }) => match === 'pattern' || match === 'expression')
      const puts = found.flatMap((group) => redirectPuts(siteId, group))
      if (asked.length > 0) puts.push(this.#patternTurn(store, siteId, asked))
      if (puts.length > 0) this.#commit(store, puts, false)
      await between()
      const last = found[found.length - 1]
      if (last === undefined) return
      after = last
    }
  }

  #patternTurn(store: Store, siteId: string, asked: readonly { readonly match: string; readonly key: string }[]): Put {
    const { turn } = readPatternTurn(store.get(KEYS.patterns(siteId)))
    const changed = asked.map(({ match, key }) => KEYS.redirects(siteId, match, key))
    return [KEYS.patterns(siteId), writePatternTurn({ turn: turn + 1, changed })]
  }
}

const isFilling = (store: Store): boolean => store.get(KEYS.filling) !== undefined

function* stretches(ids: readonly string[]): Generator<string[]> {
  for (let from = 0; from < ids.length; from += STEP) yield ids.slice(from, from + STEP)
}
