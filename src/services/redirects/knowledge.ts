import { Turns } from '../../apart/index.ts'
import { pathSpellings } from '../../core/address/index.ts'
import { type Finding, PageFinder, plainPath, RedirectReview, TOLERANCE } from '../../core/routing/index.ts'
import type { SiteGround } from '../../core/rules/index.ts'
import { changesAfter, logEnds } from '../../data/changes.ts'
import type { Database, Transaction } from '../../data/database.ts'
import { asOfNow } from '../../data/delivered.ts'
import { allRedirects, everyKnownPage, type KnownPageRow, knownPages, pagesLedTo } from '../../data/redirect-knowledge.ts'
import { redirectsById } from '../../data/redirects.ts'
import { RedirectChains } from './chains.ts'

/** Changes that are taken over at once. */
const CHANGES_AT_ONCE = 1_000
/** Rows of which it is asked which pages they lead to, of so many changes. */
const ROWS_LOOKED_INTO = 500
/** Rows read at once when a table is taken up. */
const ROWS_AT_ONCE = 10_000

/** What is known of one site: its pages to be suggested and, once they were asked for, its rows looked through. */
interface Known {
  number: number
  /** Of rules, hosts and what else a site is set up with. */
  setUpNumber: number
  /** Null until somebody asks: to suggest pages no row is needed, and there may be a million. */
  review: RedirectReview | null
  readonly pages: Map<string, KnownPageRow>
  /** Live paths in every spelling that is answered; how many pages each is of. */
  readonly live: Map<string, number>
  readonly finder: PageFinder
  /** By path: pages that have come and that the finder does not know yet, null for one that is gone. It takes them when somebody asks it. */
  readonly unfiled: Map<string, KnownPageRow | null>
  /** What pages are called that are not live, by their paths. */
  readonly gone: Map<string, string>
  readonly ignoresCase: boolean
}

/** Tables of redirects that have been looked through, kept up to date by the log of changes: what has not changed is not read again. */
export class RedirectKnowledge {
  readonly #db: Database
  readonly #known = new Map<string, Known>()
  readonly #queues = new Map<string, Promise<Known>>()

  readonly #port: number

  /** @param port - the one this installation answers on */
  constructor(db: Database, port: number) {
    this.#db = db
    this.#port = port
  }

  async findings(view: SiteGround): Promise<{ readonly review: RedirectReview; readonly findings: readonly Finding[] }> {
    const { review } = await this.#upToDate(view, true)
    if (review === null) throw new Error('rows that were asked for are not there')
    return { review, findings: review.findings() }
  }

  /** Finds pages for addresses that nobody answers. */
  async finder(view: SiteGround): Promise<PageFinder> {
    const { finder, unfiled } = await this.#upToDate(view)
    const turns = new Turns()
    for (const [path, page] of unfiled) {
      if (page === null) finder.drop(path)
      else finder.put(page)
      unfiled.delete(path)
      if (turns.isOver) await turns.next()
    }
    return finder
  }

  /**
   * Tells which addresses are answered by now: by a page, or by what a row says. Only what they bring up is read, and the rows that
   * have to be asked once for all that are asked about.
   */
  answering(view: SiteGround): (addresses: readonly URL[]) => Promise<ReadonlySet<string>> {
    const ways = new RedirectChains(this.#db, view, this.#port)
    return (addresses) => asOfNow(this.#db, (transaction) => ways.answered(addresses, transaction))
  }

  /** What a page that is gone was called. */
  async titleAt(view: SiteGround, path: string): Promise<string | undefined> {
    return (await this.#upToDate(view)).gone.get(path)
  }

  /** One after the other: two that take one site up would do it twice. */
  #upToDate(view: SiteGround, needsRows = false): Promise<Known> {
    const { siteId } = view.setup
    const bringUp = (): Promise<Known> => this.#bringUp(view, needsRows)
    const next = (this.#queues.get(siteId) ?? Promise.resolve()).then(bringUp, bringUp)
    this.#queues.set(siteId, next)
    return next
  }

  #bringUp(view: SiteGround, needsRows: boolean): Promise<Known> {
    const { siteId } = view.setup
    return asOfNow(this.#db, async (transaction) => {
      const [end] = await logEnds(this.#db, siteId, transaction)
      const known = this.#known.get(siteId)
      if (known === undefined || known.setUpNumber !== (end?.setUpNumber ?? 0)) return this.#takeUp(view, end, needsRows, transaction)
      while (known.number < (end?.number ?? 0)) {
        const changes = await changesAfter(this.#db, { siteId, after: known.number, limit: CHANGES_AT_ONCE }, transaction)
        if (changes === null) return this.#takeUp(view, end, needsRows, transaction)
        const last = changes[changes.length - 1]
        if (last === undefined) break
        const keysOf = (...capabilities: string[]) => [
          ...new Set(changes.filter(({ capability }) => capabilities.includes(capability)).map(({ key }) => key)),
        ]
        const rows = keysOf('redirects')
        await this.#takeRows(known, siteId, rows, transaction)
        // What leads to a page is part of what it is found by. Of a list that is brought in nobody asks that while it comes.
        const led = rows.length > ROWS_LOOKED_INTO ? [] : await pagesLedTo(this.#db, siteId, rows, transaction)
        await this.#takePages(known, siteId, [...new Set([...keysOf('pages', 'files'), ...led])], transaction)
        known.number = last.number
      }
      if (needsRows) known.review ??= await this.#rowsOf(view, known, transaction)
      return known
    })
  }

  async #takeUp(
    view: SiteGround,
    end: { number: number; setUpNumber: number } | undefined,
    needsRows: boolean,
    transaction: Transaction,
  ): Promise<Known> {
    const { siteId } = view.setup
    const known: Known = {
      number: end?.number ?? 0,
      setUpNumber: end?.setUpNumber ?? 0,
      pages: new Map(),
      live: new Map(),
      finder: new PageFinder([]),
      unfiled: new Map(),
      gone: new Map(),
      review: null,
      ignoresCase: (view.setup.tolerance ?? TOLERANCE).ignoresCase,
    }
    this.#known.delete(siteId)
    for await (const pages of everyKnownPage(this.#db, siteId, transaction)) await this.#putPages(known, pages)
    if (needsRows) known.review = await this.#rowsOf(view, known, transaction)
    this.#known.set(siteId, known)
    return known
  }

  /** Looks a site's rows up, as of the same moment as its pages. */
  async #rowsOf({ setup, origin }: SiteGround, { live, ignoresCase }: Known, transaction: Transaction): Promise<RedirectReview> {
    const turns = new Turns()
    const review = new RedirectReview({
      tolerance: setup.tolerance ?? TOLERANCE,
      origin,
      hosts: new Map(setup.hosts.map(({ host, kind }) => [host, kind])),
      hasPage: (path) => live.has(ignoresCase ? path.toLowerCase() : path),
    })
    for (let after: string | null = null; ; ) {
      const rows = await allRedirects(this.#db, setup.siteId, { after, limit: ROWS_AT_ONCE }, transaction)
      for (const { place, ...row } of rows) {
        review.put({ ...row, order: place })
        if (turns.isOver) await turns.next()
      }
      after = rows[rows.length - 1]?.id ?? null
      if (rows.length < ROWS_AT_ONCE) return review
    }
  }

  async #takeRows({ review }: Known, siteId: string, ids: readonly string[], transaction: Transaction): Promise<void> {
    if (ids.length === 0 || review === null) return
    const found = new Map((await redirectsById(this.#db, siteId, ids, transaction)).map((row) => [row.id, row]))
    for (const id of ids) {
      const row = found.get(id)
      if (row === undefined) review.drop(id)
      else review.put({ ...row, order: row.place })
    }
  }

  async #takePages(known: Known, siteId: string, ids: readonly string[], transaction: Transaction): Promise<void> {
    if (ids.length === 0) return
    const found = await knownPages(this.#db, siteId, ids, transaction)
    for (const id of ids) {
      const before = known.pages.get(id)
      if (before !== undefined) this.#dropPage(known, before)
    }
    await this.#putPages(known, found)
  }

  async #putPages(known: Known, pages: readonly KnownPageRow[]): Promise<void> {
    const turns = new Turns()
    for (const page of pages) {
      this.#putPage(known, page)
      if (turns.isOver) await turns.next()
    }
  }

  #putPage(known: Known, page: KnownPageRow): void {
    known.pages.set(page.id, page)
    if (!page.isLive) return void known.gone.set(page.path, page.title)
    known.unfiled.set(page.path, page)
    for (const path of spellingsOf(page.path, known.ignoresCase)) {
      known.live.set(path, (known.live.get(path) ?? 0) + 1)
      known.review?.pageChanged(path)
    }
  }

  #dropPage(known: Known, page: KnownPageRow): void {
    known.pages.delete(page.id)
    if (!page.isLive) return void known.gone.delete(page.path)
    known.unfiled.set(page.path, null)
    for (const path of spellingsOf(page.path, known.ignoresCase)) {
      const left = (known.live.get(path) ?? 1) - 1
      if (left === 0) known.live.delete(path)
      else known.live.set(path, left)
      known.review?.pageChanged(path)
    }
  }
}

/** Plain paths under which a page answers: of a folder's page also that of its index file. @param ignoresCase - then in small letters */
export function spellingsOf(path: string, ignoresCase: boolean): Set<string> {
  const index = path.endsWith('/') ? [`${path}index.html`, `${path}index.htm`] : []
  return new Set([path, ...pathSpellings(path), ...index].map((each) => (ignoresCase ? plainPath(each).toLowerCase() : plainPath(each))))
}
