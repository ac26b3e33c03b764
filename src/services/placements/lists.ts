import { Turns } from '../../apart/index.ts'
import {
  Judge,
  type ListKnowledge,
  PlacementList,
  type PlacementPage,
  type Sort,
  type Placement as StoredPlacement,
} from '../../core/placements/index.ts'
import { type SiteGround, withShortLinks } from '../../core/rules/index.ts'
import { type Change, changesAfter, logEnds } from '../../data/changes.ts'
import { type ToldVerdictRow, verdictsOf, verdictsSince } from '../../data/checks.ts'
import type { Database } from '../../data/database.ts'
import { listFine } from '../../data/fine-findings.ts'
import { ownPaths, pathsOf } from '../../data/paths.ts'
import { listPlacements, type PlacementRow } from '../../data/placements.ts'
import { namesOf } from '../../data/short-link-slugs.ts'
import { waitingByPage } from '../../data/waiting.ts'
import { KnownShortLinks } from '../known-short-links.ts'
import { patiently } from '../patience.ts'
import { ledAmong } from '../redirects/index.ts'
import { KeptLists } from './kept.ts'

/** A list, with how far in the log it is. */
interface KeptList {
  readonly number: number
  readonly view: SiteGround
  readonly short: KnownShortLinks
  readonly list: PlacementList
  /** Pages read since it was written down. */
  readonly sinceKept: number
  /** What was said of destinations until then is in it. */
  readonly toldAt: Date
}

/** Verdicts read at once, and how long keeping some may take. */
const VERDICTS_AT_ONCE = 5_000
const TOLD_OVERLAP_MS = 30_000
/** Changes taken at once, and pages read at once. */
const SLICE = 2_000
const PAGES_AT_ONCE = 200
/** Of a smaller site, of which few pages changed, the links are there in no time: whoever asks waits for them. */
const TOLD_FROM = 20_000
/** After so many pages a list is written down again: it costs what a whole site holds. */
const KEEP_AFTER = 1_000
/** Lists kept in memory; others are made again when they are asked for. */
const LISTS_MAX = 8

/** Placements read at once: few enough that nobody else waits, many enough that the database is seldom asked. */
const SCAN_STEP = 500
/** Links judged before it is looked whether others wait. */
const LINKS_AT_ONCE = 100
/** The first step of what a screen waits for. */
const FIRST_STEP = 300
/**
 * Stored placements of a site in the order of path and place, in steps: other requests are answered in between.
 * @param of - `pageIds`: of these pages alone
 */
export async function* storedPlacements(
  db: Database,
  siteId: string,
  { withTags, pageIds }: { readonly withTags: boolean; readonly pageIds?: readonly string[] },
): AsyncGenerator<{ pages: PlacementPage[]; rows: StoredPlacement[] }> {
  const waiting = await waitingByPage(db, siteId, pageIds)
  const shared = waiting.get('shared') ?? []
  const of = { siteId, withTags, ...(pageIds === undefined ? {} : { pageIds }) }
  let page: PlacementPage | null = null
  for (let after: { path: string; ordinal: number } | undefined, step = FIRST_STEP; ; step = SCAN_STEP) {
    const found = await listPlacements(db, { ...of, after, limit: step })
    const pages: PlacementPage[] = []
    const rows = found.map((row) => {
      if (page?.id !== row.pageId) {
        page = pageOf(row, waiting.get(row.pageId) ?? shared)
        pages.push(page)
      }
      return placementOf(row, page)
    })
    if (rows.length > 0) yield { pages, rows }
    const last = found[found.length - 1]
    if (last === undefined || found.length < step) return
    after = { path: last.path, ordinal: last.ordinal }
  }
}

/** The judged links of sites, kept in memory and brought up to date by the log: a page that was saved is read again, and no other. */
export class PlacementLists {
  readonly #db: Database
  readonly #kept: KeptLists
  readonly #onLost: (error: unknown) => void
  readonly #lists = new Map<string, KeptList>()
  readonly #port: number
  /** Sites whose redirects or pages have changed since somebody asked where those lead. */
  readonly #unled = new Set<string>()
  /** As of which ground that was asked. */
  readonly #ledFor = new WeakMap<PlacementList, SiteGround>()
  readonly #queues = new Map<string, Promise<KeptList>>()
  /** Lists that are being read anew, or brought up to date by many pages: links so far. */
  readonly #reading = new Map<string, number>()

  /** @param onLost - is told when a list could not be written down or put into order ahead, which costs time later and nothing else */
  constructor(db: Database, dataFolder: string, port: number, onLost: (error: unknown) => void) {
    this.#port = port
    this.#db = db
    this.#kept = new KeptLists(dataFolder)
    this.#onLost = onLost
  }

  /** Sites whose lists are large enough to be kept as files. */
  large(): Promise<string[]> {
    return this.#kept.sites()
  }

  forget(siteId: string): void {
    this.#lists.delete(siteId)
  }

  async #make(siteId: string, view: SiteGround, number: number): Promise<KeptList> {
    this.#reading.set(siteId, 0)
    const short = new KnownShortLinks(this.#db, siteId)
    const list = new PlacementList(withShortLinks(view, short.find), await this.#knowledge(siteId))
    await this.#read({ list, short, view }, siteId)
    return { number, view, short, list, sinceKept: list.total, toldAt: await this.#learnVerdicts(siteId, list, new Date(0)) }
  }

  /** Reads pages into a list, turn by turn. @param pageIds - these alone. @returns those that were there, by their ids */
  async #read(
    { list, short, view }: Pick<KeptList, 'list' | 'short' | 'view'>,
    siteId: string,
    pageIds?: readonly string[],
  ): Promise<ReadonlyMap<string, PlacementPage>> {
    const turns = new Turns()
    const met = new Map<string, PlacementPage>()
    for await (const { rows } of storedPlacements(this.#db, siteId, { withTags: false, ...(pageIds === undefined ? {} : { pageIds }) })) {
      await learnShortLinks(short, view, rows)
      for (let from = 0; from < rows.length; ) {
        const page = rows[from]?.page
        if (page === undefined) break
        let to = from + 1
        while (to < rows.length && to - from < LINKS_AT_ONCE && rows[to]?.page === page) to++
        const part = rows.slice(from, to)
        if (met.has(page.id)) list.add(part)
        else list.replace(page, part)
        met.set(page.id, page)
        from = to
        if (turns.isOver) await (list.total < TOLD_FROM ? turns.next() : turns.letBy())
      }
      if (this.#reading.has(siteId) || list.total >= TOLD_FROM) this.#reading.set(siteId, list.total)
    }
    return met
  }

  /** A list as it was written down. @returns null where there is none, or one of other hosts or partners */
  async #restore(siteId: string, view: SiteGround): Promise<KeptList | null> {
    const kept = await this.#kept.read(siteId)
    if (kept === null || kept.head.ground !== groundOf(view)) return null
    const short = new KnownShortLinks(this.#db, siteId)
    const list = new PlacementList(withShortLinks(view, short.find), await this.#knowledge(siteId), { kept: kept.rows })
    await learnShortLinks(short, view, list.rows.ofKind('short link'))
    return { number: kept.head.number, view, short, list, sinceKept: 0, toldAt: await this.#learnVerdicts(siteId, list, new Date(0)) }
  }

  async #knowledge(siteId: string): Promise<ListKnowledge> {
    return { paths: await ownPaths(this.#db, siteId), fine: await listFine(this.#db, siteId) }
  }

  /**
   * Brings a list up to date by the log, a slice at a time: the pages that changed are read again, and no others.
   * @returns null where the log is not enough
   */
  async #follow(siteId: string, before: KeptList, view: SiteGround): Promise<KeptList | null> {
    let kept = before
    if (kept.view !== view) {
      const isDerived = await this.#reground(kept, view)
      // What was written down is of no use any more.
      kept = { ...kept, view, sinceKept: isDerived ? kept.list.total : kept.sinceKept }
    }
    for (;;) {
      const changes = await changesAfter(this.#db, { siteId, after: kept.number, limit: SLICE })
      const last = changes?.[changes.length - 1]
      if (changes === null) return null
      if (last === undefined) return kept
      if (kept.list.total >= TOLD_FROM || changes.length > PAGES_AT_ONCE) this.#reading.set(siteId, kept.list.total)
      const read = await this.#take(siteId, kept, changes)
      const isToldNews = changes.some(({ capability }) => capability === 'checks')
      const toldAt = isToldNews ? await this.#learnVerdicts(siteId, kept.list, kept.toldAt) : kept.toldAt
      kept = { ...kept, number: last.number, sinceKept: kept.sinceKept + read, toldAt }
    }
  }

  /**
   * Rules, hosts or partners are others: everything is judged again, and nothing read.
   * @returns whether the rows themselves are others
   */
  async #reground({ list, short, view: before }: KeptList, view: SiteGround): Promise<boolean> {
    const site = withShortLinks(view, short.find)
    if (groundOf(before) === groundOf(view)) {
      list.judgeBy(site)
      return false
    }
    list.rederive(site)
    await learnShortLinks(short, view, list.rows.ofKind('short link'))
    list.judgeShortLinks()
    return true
  }

  /** Takes over what is said of destinations since a time. @returns until when it was said */
  async #learnVerdicts(siteId: string, list: PlacementList, since: Date): Promise<Date> {
    const turns = new Turns()
    // Whoever was at keeping looks then may have kept them since.
    for (let [after, from]: [ToldVerdictRow | null, Date] = [null, new Date(since.getTime() - TOLD_OVERLAP_MS)]; ; ) {
      const told = await verdictsSince(this.#db, siteId, { since: from, after, limit: VERDICTS_AT_ONCE })
      list.knowVerdicts(told)
      after = told[told.length - 1] ?? after
      if (told.length < VERDICTS_AT_ONCE) return after === null || after.toldAt < since ? since : after.toldAt
      if (turns.isOver) await turns.next()
    }
  }

  /** @returns how many pages were read */
  async #take(siteId: string, { list, short, view }: KeptList, changes: readonly Change[]): Promise<number> {
    // What was published was a draft before, and is one still.
    const drafts = changes.filter(({ what }) => what !== 'published')
    const keysOf = (...capabilities: readonly Change['capability'][]): string[] => [
      ...new Set(drafts.filter(({ capability }) => capabilities.includes(capability)).map(({ key }) => key)),
    ]
    const links = keysOf('short-links')
    if (links.length > 0) {
      short.forget(await namesOf(this.#db, siteId, links))
      await learnShortLinks(short, view, list.rows.ofKind('short link'))
      list.judgeShortLinks()
    }
    const pages = keysOf('pages', 'waiting')
    const waiting = new Set(keysOf('waiting'))
    let isSharedWaiting = false
    for (let from = 0; from < pages.length; from += PAGES_AT_ONCE) {
      const ids = pages.slice(from, from + PAGES_AT_ONCE)
      const known = list.rows.strings.length
      const met = await this.#read({ list, short, view }, siteId, ids)
      const led = list.destinationsFrom(known)
      if (led.length > 0) list.knowVerdicts(await verdictsOf(this.#db, siteId, led))
      for (const id of ids) if (!met.has(id)) list.remove(id)
      for (const { id, kind } of met.values()) if (kind !== 'page' && waiting.has(id)) isSharedWaiting = true
    }
    // What waits on a shared part waits on every page.
    if (isSharedWaiting) {
      const byPage = await waitingByPage(this.#db, siteId)
      const shared = byPage.get('shared') ?? []
      list.knowWaiting((id) => byPage.get(id) ?? shared)
    }
    const come = drafts.filter(hasPath)
    if (come.length > 0) {
      const ids = [...new Set(come.map(({ key }) => key))]
      const paths = await pathsOf(this.#db, siteId, ids)
      // Nobody knows any more where something was that was deleted.
      if (paths.length < ids.length) list.know(await this.#knowledge(siteId))
      else list.knowPaths(paths)
    }
    if (leadElsewhere(changes)) this.#unled.add(siteId)
    if (keysOf('findings').length > 0) list.know({ paths: list.ownPaths, fine: await listFine(this.#db, siteId) })
    return pages.length
  }

  /** The judged links of a site, as of now; made once, and brought up to date from then on. */
  async of(siteId: string, view: SiteGround): Promise<PlacementList> {
    return (await this.numbered(siteId, view)).list
  }

  /** The same with the newest change that is in it. */
  async numbered(siteId: string, view: SiteGround): Promise<Pick<KeptList, 'list' | 'number'>> {
    const bringUp = async (): Promise<KeptList> => {
      const before = this.#lists.get(siteId)
      const number = (await logEnds(this.#db, siteId))[0]?.number ?? 0
      if (before?.number === number && before?.view === view) return before
      const known = before ?? (await this.#restore(siteId, view))
      const followed = known === null ? null : await this.#follow(siteId, known, view)
      const kept = followed ?? (await this.#make(siteId, view, number))
      const isOther = before?.list !== kept.list || before.view !== view || kept.sinceKept > before.sinceKept + PAGES_AT_ONCE
      if (isOther) await new Turns().through(kept.list.settling())
      await this.#learnLed(siteId, kept)
      if (isOther) await new Turns().through(kept.list.gettingReady())
      if (isOther) this.#sortAhead(kept.list)
      if (kept.sinceKept >= KEEP_AFTER) setImmediate(() => void this.#keep(siteId, kept))
      const now = kept.sinceKept >= KEEP_AFTER ? { ...kept, sinceKept: 0 } : kept
      this.#lists.set(siteId, now)
      return now
    }
    if (this.#lists.size >= LISTS_MAX && !this.#lists.has(siteId)) this.#lists.clear()
    // One after the other: two that bring one list up to date would trip over each other.
    const next = (this.#queues.get(siteId) ?? Promise.resolve()).then(bringUp, bringUp)
    const whole = next
      .catch((error: unknown) => {
        this.#lists.delete(siteId) // it may be half brought up to date
        throw error
      })
      .finally(() => this.#reading.delete(siteId))
    this.#queues.set(siteId, whole)
    return patiently(whole, () => this.#reading.get(siteId) ?? null)
  }

  /** Puts a list into the orders that screens ask for, beside all else: of a million addresses that takes seconds the first time. */
  #sortAhead(list: PlacementList): void {
    const ahead = async (): Promise<void> => {
      for (const sort of ['destination', 'text', 'href'] as const) await new Turns().through(list.gettingSorted(sort))
    }
    void ahead().catch(this.#onLost)
  }

  /** Waits until a list can be put into an order at once. */
  async sorted(list: PlacementList, sort: Sort): Promise<void> {
    await patiently(new Turns().through(list.gettingSorted(sort)), () => list.total)
  }

  /** Takes over which addresses without a page redirects lead on from; only those that links lead to are asked about, and only once. */
  async #learnLed(siteId: string, { list, view }: KeptList): Promise<void> {
    const before = this.#ledFor.get(list)
    const isSame = before === view || (before !== undefined && groundOf(before) === groundOf(view))
    const isLedElsewhere = this.#unled.delete(siteId)
    this.#ledFor.set(list, view)
    if (isSame && !isLedElsewhere && !list.hasNewWithout) return
    list.knowLed(await ledAmong(this.#db, view, this.#port, list.pathsWithout()))
  }

  async #keep(siteId: string, { number, view, list }: KeptList): Promise<void> {
    try {
      await this.#kept.write(siteId, list.rows.kept(), { number, ground: groundOf(view) })
    } catch (error) {
      this.#onLost(error)
    }
  }
}

/** What is on some pages now; those that are gone, or have no links, are left out. */
export async function readPages(
  db: Database,
  siteId: string,
  pageIds: readonly string[],
): Promise<{ page: PlacementPage; placements: StoredPlacement[] }[]> {
  const pages = new Map<string, { page: PlacementPage; placements: StoredPlacement[] }>()
  for await (const { rows } of storedPlacements(db, siteId, { withTags: true, pageIds }))
    for (const row of rows) {
      const each = pages.get(row.page.id) ?? { page: row.page, placements: [] }
      each.placements.push(row)
      pages.set(row.page.id, each)
    }
  return [...pages.values()]
}

/** A page or file has come or gone. */
export const hasPath = ({ capability, what }: Change): boolean =>
  capability === 'files' ? what !== 'published' : capability === 'pages' && (what === 'made' || what === 'removed')

/** Whether addresses without a page may lead elsewhere after these: redirects are others, or other pages are live. */
export const leadElsewhere = (changes: readonly Change[]): boolean =>
  changes.some(
    (change) => change.capability === 'redirects' || hasPath(change) || (change.capability === 'pages' && change.what === 'published'),
  )

/** All that rows are derived from: a list of other rules alone has the same ones. */
const groundOf = ({ setup, origin }: SiteGround): string => JSON.stringify([origin, { ...setup, rules: [], partnersArePaid: true }])

/** Reads where the short links lead that these placements name. */
export async function learnShortLinks(short: KnownShortLinks, view: SiteGround, placements: Iterable<StoredPlacement>): Promise<void> {
  const hosts = view.setup.hosts.flatMap(({ kind, host }) => (kind === 'short' ? [host] : []))
  const judge = new Judge(withShortLinks(view, short.find))
  for (const placement of placements) {
    const { href, baseHref } = placement.written
    const written = `${href} ${baseHref ?? ''}`.toLowerCase()
    if (hosts.some((host) => written.includes(host))) judge.facts(placement)
  }
  await short.learn()
}

const pageOf = (row: PlacementRow, waiting: readonly string[]): PlacementPage => ({
  id: row.pageId,
  path: row.path,
  title: row.title,
  kind: row.kind,
  version: row.pageVersion,
  writtenFor: row.writtenFor,
  tags: row.pageTags,
  words: row.pageWords,
  waiting,
  baseHref: row.baseHref,
  baseTarget: row.baseTarget,
})

const placementOf = (row: PlacementRow, page: PlacementPage): StoredPlacement => ({
  page,
  ordinal: row.ordinal,
  start: row.start,
  tag: row.tag,
  text: row.text,
  paragraph: row.paragraph ?? 0,
  written: {
    href: row.href,
    rel: row.rel,
    target: row.target,
    byHand: row.byHand,
    tags: row.tags,
    shows: row.shows,
    baseHref: row.baseHref,
    baseTarget: row.baseTarget,
  },
})
