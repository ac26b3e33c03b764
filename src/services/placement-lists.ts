import type { PlacementPage, Placement as StoredPlacement } from '../core/placements/index.ts'
import { Judge, PlacementList } from '../core/placements/index.ts'
import { type SiteGround, withShortLinks } from '../core/rules/index.ts'
import { changesAfter, logEnds } from '../data/changes.ts'
import type { Database } from '../data/database.ts'
import { listFine } from '../data/fine-findings.ts'
import { listPlacements, ownPaths, type PlacementRow } from '../data/pages.ts'
import { waitingByPage } from '../data/waiting.ts'
import { KnownShortLinks } from './known-short-links.ts'

/** A list, with how far in the log it is. */
interface KeptList {
  readonly number: number
  readonly view: SiteGround
  readonly short: KnownShortLinks
  readonly list: PlacementList
}

/** After more changes than these, or to more pages, a list is made anew. */
const FOLLOWED_MAX = 5_000
const FOLLOWED_PAGES_MAX = 500
/** Lists kept in memory; others are made again when they are asked for. */
const LISTS_MAX = 8

/** Placements read at once: few enough that nobody else waits, many enough that the database is seldom asked. */
const SCAN_STEP = 5_000
/** The first step of what a screen waits for. */
const FIRST_STEP = 300
/** All stored placements of a site in the order of path and place, in steps: other requests are answered in between. */
export async function* storedPlacements(db: Database, siteId: string): AsyncGenerator<{ pages: PlacementPage[]; rows: StoredPlacement[] }> {
  const waiting = await waitingByPage(db, siteId)
  const shared = waiting.get('shared') ?? []
  let page: PlacementPage | null = null
  for (let after: { path: string; ordinal: number } | undefined, step = FIRST_STEP; ; step = SCAN_STEP) {
    const found = await listPlacements(db, { siteId, after, limit: step })
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
  readonly #lists = new Map<string, KeptList>()
  readonly #queues = new Map<string, Promise<KeptList>>()

  constructor(db: Database) {
    this.#db = db
  }

  forget(siteId: string): void {
    this.#lists.delete(siteId)
  }

  async #make(siteId: string, view: SiteGround, number: number): Promise<KeptList> {
    const short = new KnownShortLinks(this.#db, siteId)
    const list = new PlacementList(withShortLinks(view, short.find), await ownPaths(this.#db, siteId), await listFine(this.#db, siteId))
    for await (const { rows } of storedPlacements(this.#db, siteId)) {
      await learnShortLinks(short, view, rows)
      list.add(rows)
    }
    return { number, view, short, list }
  }

  /** Brings a list up to date by the log: the pages that changed are read again, and no others. @returns null where that does not do */
  async #follow(siteId: string, kept: KeptList, view: SiteGround): Promise<KeptList | null> {
    const changes = await changesAfter(this.#db, { siteId, after: kept.number, limit: FOLLOWED_MAX })
    if (changes === null || changes.length === FOLLOWED_MAX) return null
    const number = changes[changes.length - 1]?.number ?? kept.number
    if (kept.view !== view) {
      // Rules or hosts are others: everything is judged again, and nothing read.
      kept.short.forget()
      await learnShortLinks(
        kept.short,
        view,
        kept.list.judged.map(({ placement }) => placement),
      )
      const list = new PlacementList(withShortLinks(view, kept.short.find), kept.list.paths, await listFine(this.#db, siteId))
      list.add(kept.list.judged.map(({ placement }) => placement))
      return this.#follow(siteId, { ...kept, view, list }, view)
    }
    // What was published was a draft before, and is one still.
    const keysOf = (...capabilities: readonly string[]): string[] => [
      ...new Set(changes.filter(({ capability, what }) => capabilities.includes(capability) && what !== 'published').map(({ key }) => key)),
    ]
    const pages = keysOf('pages', 'waiting')
    if (pages.length > FOLLOWED_PAGES_MAX) return null
    const { list, short } = kept
    if (keysOf('short-links').length > 0) {
      short.forget()
      await learnShortLinks(
        short,
        view,
        list.judged.map(({ placement }) => placement),
      )
      list.judgeShortLinks()
    }
    if (pages.length > 0) {
      const now = await this.#readPages(siteId, pages, await waitingByPage(this.#db, siteId))
      // What waits on a shared part waits on every page.
      if (keysOf('waiting').some((id) => now.find(({ page }) => page.id === id)?.page.kind !== 'page')) return null
      for (const { page, placements } of now) {
        await learnShortLinks(short, view, placements)
        list.replace(page, placements)
      }
      const found = new Set(now.map(({ page }) => page.id))
      for (const id of pages) if (!found.has(id)) list.replace({ id, path: '' }, [])
    }
    const isOtherSite = changes.some(
      ({ capability, what }) =>
        (capability === 'files' && what !== 'published') ||
        capability === 'findings' ||
        (capability === 'pages' && (what === 'made' || what === 'removed')),
    )
    if (isOtherSite) list.know(await ownPaths(this.#db, siteId), await listFine(this.#db, siteId))
    return { ...kept, number }
  }

  async #readPages(siteId: string, pageIds: readonly string[], waiting: ReadonlyMap<string, readonly string[]>) {
    const shared = waiting.get('shared') ?? []
    const pages = new Map<string, { page: PlacementPage; placements: StoredPlacement[] }>()
    for (const row of await listPlacements(this.#db, { siteId, pageIds })) {
      let each = pages.get(row.pageId)
      if (each === undefined) {
        each = { page: pageOf(row, waiting.get(row.pageId) ?? shared), placements: [] }
        pages.set(row.pageId, each)
      }
      each.placements.push(placementOf(row, each.page))
    }
    return [...pages.values()]
  }

  /** The judged links of a site, as of now; made once, and brought up to date from then on. */
  async of(siteId: string, view: SiteGround): Promise<PlacementList> {
    const bringUp = async (): Promise<KeptList> => {
      const before = this.#lists.get(siteId)
      const number = (await logEnds(this.#db, siteId))[0]?.number ?? 0
      if (before?.number === number && before?.view === view) return before
      const kept = (before === undefined ? null : await this.#follow(siteId, before, view)) ?? (await this.#make(siteId, view, number))
      this.#lists.set(siteId, kept)
      return kept
    }
    if (this.#lists.size >= LISTS_MAX && !this.#lists.has(siteId)) this.#lists.clear()
    // One after the other: two that bring one list up to date would trip over each other.
    const next = (this.#queues.get(siteId) ?? Promise.resolve()).then(bringUp, bringUp)
    this.#queues.set(siteId, next)
    const kept = await next.catch((error: unknown) => {
      this.#lists.delete(siteId) // it may be half brought up to date
      throw error
    })
    return kept.list
  }
}

/** Reads where the short links lead that these placements name. */
export async function learnShortLinks(short: KnownShortLinks, view: SiteGround, placements: readonly StoredPlacement[]): Promise<void> {
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
