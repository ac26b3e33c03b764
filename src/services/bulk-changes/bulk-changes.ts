import {
  type BulkChange,
  type BulkChangeBody,
  BulkChangeDone,
  type BulkChangeNew,
  type BulkItem,
  type BulkReview,
  type BulkUndone,
  bulkChanges as calls,
} from '../../contract/bulk-changes.ts'
import { mayAsk } from '../../contract/operation.ts'
import { normalise } from '../../core/address/index.ts'
import { decodeSource, differenceOf, patchBytes, rebasePatches } from '../../core/markup/index.ts'
import { readMenu } from '../../core/menus/index.ts'
import { type ChangedLink, changeEntries, changeLinks, destinationOf, type PlacementPage } from '../../core/placements/index.ts'
import { fail, ok, type Result } from '../../core/result.ts'
import type { SiteGround } from '../../core/rules/index.ts'
import { type BulkPage, listBulkChanges, markUndone, pagesOfBulkChange } from '../../data/bulk-changes.ts'
import { readBlobs } from '../../data/delivered.ts'
import { type Draft, readDrafts, updateDrafts } from '../../data/drafts.ts'
import type { PageRow } from '../../data/pages.ts'
import { titlesByPath } from '../../data/pages.ts'
import { type Told, tell } from '../../words/index.ts'
import type { visitsService } from '../addresses/index.ts'
import { type Actor, type Context, type SiteViews, write, writeAudit } from '../context.ts'
import { withProgress } from '../jobs/index.ts'
import { listQuery, type placementsService } from '../placements/index.ts'
import { BulkDrafts, keptDraft, patchPage } from './drafts.ts'

/** Links shown of a review; the numbers count all. */
const ITEMS_MAX = 300
/** Destinations that are visited for their titles in one change; the rest is left alone and told. */
const TITLES_MAX = 40
const SHOWN_MAX = 30

/** A page as it is to become. */
interface Planned extends ReturnType<typeof changePage> {
  readonly page: PageRow
  /** Links that were meant. */
  readonly links: number
}

export function bulkChangesService(
  context: Context,
  views: SiteViews,
  placements: ReturnType<typeof placementsService>,
  visits: ReturnType<typeof visitsService>,
) {
  const { db } = context
  /** The links that are meant, by page, with where each starts; and what their destinations are called, where that is wanted. */
  const select = async (actor: Actor, { selection, change }: BulkChangeNew, view: SiteGround) => {
    const list = await placements.listOf(actor.siteId, view)
    const wanted = new Map<string, Map<number, number>>()
    const pages = new Map<string, PlacementPage>()
    const destinations = new Set<string>()
    const chosen = 'links' in selection ? new Map<string, Map<number, number>>() : null
    if ('links' in selection)
      for (const [pageId, ordinal, start] of selection.links) {
        const links = chosen?.get(pageId) ?? new Map<number, number>()
        links.set(ordinal, start)
        chosen?.set(pageId, links)
      }
    const except = new Set('filter' in selection ? selection.except : [])
    const found =
      'filter' in selection
        ? list.ask(listQuery(selection.filter)).found
        : selection.links.map(([pageId, ordinal]) => list.rowOf(pageId, ordinal))
    for (const i of found) {
      const placement = list.rows.placementAt(i)
      if (placement === null) continue
      const { page, ordinal, start } = placement
      const asked = chosen === null ? start : chosen.get(page.id)?.get(ordinal)
      if (asked === undefined || except.has(page.id)) continue
      pages.set(page.id, page)
      const links = wanted.get(page.id) ?? new Map<number, number>()
      links.set(ordinal, asked)
      wanted.set(page.id, links)
      const judged = change.do === 'take title' ? list.judgedAt(i) : null
      if (judged !== null) destinations.add(destinationOf(judged))
    }
    return { wanted, pages, titles: await titlesOf(actor, view, destinations) }
  }

  async function titlesOf(actor: Actor, { origin }: SiteGround, destinations: ReadonlySet<string>): Promise<ReadonlyMap<string, string>> {
    const titles = new Map<string, string>()
    if (destinations.size === 0) return titles
    for (const { path, title } of await titlesByPath(db, actor.siteId)) titles.set(normalise(path, origin) ?? path, title)
    const outside = [...destinations].filter((each) => !titles.has(each) && /^https?:/.test(each)).slice(0, TITLES_MAX)
    await Promise.all(
      outside.map(async (destination) => {
        const seen = await visits.visit(actor, destination)
        if (seen.ok && seen.value.title !== null) titles.set(destination, seen.value.title)
      }),
    )
    return titles
  }

  /** Works the change out, some pages at a time: what they hold is in memory no longer than that. */
  async function* plan(
    actor: Actor,
    { wanted, pages, titles }: Awaited<ReturnType<typeof select>>,
    change: BulkChangeBody,
    view: SiteGround,
  ): AsyncGenerator<Planned[]> {
    const titleOf = (destination: string) => titles.get(destination) ?? null
    for await (const drafts of readDrafts(db, actor.siteId, [...wanted.keys()])) {
      yield await views.knowing(view, (site) =>
        drafts.flatMap(({ page, bytes }) => {
          const [known, links] = [pages.get(page.id), wanted.get(page.id)]
          if (known === undefined || links === undefined) return []
          const text = decodeSource(bytes, page.encoding)
          return [{ page, links: links.size, ...changePage(page, known, bytes, text, links, change, { site, titleOf }) }]
        }),
      )
    }
  }

  return {
    /**
     * Changes many links at once, or only shows what would change. All of it is one transaction, and taken back in one step.
     */
    async make(
      actor: Actor,
      asked: BulkChangeNew,
    ): Promise<Result<BulkReview, 'forbidden' | 'moved-on' | 'nothing-to-change' | 'cancelled' | 'job-not-ready'>> {
      if (!mayAsk(actor, calls.make)) return fail('forbidden')
      const view = await views.of(actor)
      const selected = await select(actor, asked, view)
      const total = [...selected.wanted.values()].reduce((sum, links) => sum + links.size, 0)
      const review = new Review()
      return withProgress(context, actor, { job: asked.job, kind: 'bulk-change', total }, async (progress) => {
        if (asked.dryRun) {
          for await (const planned of plan(actor, selected, asked.change, view)) {
            review.add(planned)
            if (await progress(review.looked)) return fail('cancelled')
          }
          return ok(review.shown(null))
        }
        const madeBy = asked.change.do === 'bake' ? 'bake' : 'bulk'
        const saved = await write(db, async (transaction, changes) => {
          const drafts = new BulkDrafts(db, actor, transaction)
          for await (const planned of plan(actor, selected, asked.change, view)) {
            review.add(planned)
            const put = await drafts.put(
              planned.filter((each) => each.changed.length > 0),
              madeBy,
            )
            if (!put.ok) return put
            if (await progress(review.looked)) return fail('cancelled')
          }
          const { pages } = drafts
          if (pages === 0) return fail('nothing-to-change')
          const { links } = review
          const id = await drafts.close(asked.change, links, changes)
          await writeAudit(db, actor, 'bulk-changes:make', id, { do: asked.change.do, links, pages }, transaction)
          return ok(id)
        })
        return saved.ok ? ok(review.shown(saved.value)) : saved
      })
    },

    /** Takes a bulk change back. A page that was edited since keeps those edits; where both meet in one place it is left and told. */
    async undo(
      actor: Actor,
      id: string,
      job?: string,
    ): Promise<Result<BulkUndone, 'forbidden' | 'not-found' | 'moved-on' | 'already-undone' | 'cancelled' | 'job-not-ready'>> {
      if (!mayAsk(actor, calls.undo)) return fail('forbidden')
      const [known] = await listBulkChanges(db, actor.siteId, id, 1)
      if (known === undefined) return fail('not-found')
      const changed = new Map((await pagesOfBulkChange(db, id)).map((each) => [each.pageId, each]))
      const left: { page: string; why: Told }[] = []
      return withProgress(context, actor, { job, kind: 'bulk-change', total: changed.size }, async (progress) => {
        const saved = await write(db, async (transaction, changes) => {
          if (!(await markUndone(db, id, transaction))) return fail('already-undone')
          const done: string[] = []
          for await (const drafts of readDrafts(db, actor.siteId, [...changed.keys()])) {
            const back = await beforeOf(drafts, changed)
            for (const { page } of drafts)
              if (!back.some((each) => each.page.id === page.id)) left.push({ page: page.path, why: tell('change.edited-since') })
            const moved =
              back.length === 0
                ? null
                : await updateDrafts(
                    db,
                    back.map(({ page, bytes }) => keptDraft(page, bytes)),
                    { personId: actor.personId, madeBy: 'undo' },
                    transaction,
                  )
            if (moved !== null) {
              const title = back.find(({ page }) => page.id === moved)?.page.title ?? ''
              return fail('moved-on', { why: tell('change.being-edited', { title }) })
            }
            done.push(...back.map(({ page }) => page.id))
            if (await progress(done.length + left.length)) return fail('cancelled')
          }
          changes.add(actor.siteId, 'pages', done, 'changed')
          changes.add(actor.siteId, 'bulk-changes', id, 'removed')
          await writeAudit(db, actor, 'bulk-changes:undo', id, { pages: done.length, left: left.length }, transaction)
          return ok(done.length)
        })
        return saved.ok ? ok({ pages: saved.value, left }) : saved
      })
    },

    /** The newest bulk changes. */
    async list(actor: Actor): Promise<Result<{ items: BulkChange[] }, 'forbidden'>> {
      if (!mayAsk(actor, calls.list)) return fail('forbidden')
      const found = await listBulkChanges(db, actor.siteId, null, SHOWN_MAX)
      return ok({ items: found.map((row) => ({ ...row, change: BulkChangeDone.parse(row.change), at: new Date(row.at).toISOString() })) })
    },
  }

  /** What pages were before; those that were edited in the same place since are left out. */
  async function beforeOf(drafts: readonly Draft[], changed: ReadonlyMap<string, BulkPage>): Promise<Draft[]> {
    const hashes = drafts.flatMap(({ page }) => {
      const change = changed.get(page.id)
      if (change === undefined) return []
      return page.draftHash === change.afterHash ? [change.beforeHash] : [change.beforeHash, change.afterHash]
    })
    const contents = new Map((await readBlobs(db, [...new Set(hashes)])).map(({ hash, bytes }) => [hash, bytes]))
    return drafts.flatMap(({ page, bytes }) => {
      const change = changed.get(page.id)
      const before = contents.get(change?.beforeHash ?? '')
      if (change === undefined || before === undefined || page.encoding !== change.beforeEncoding) return []
      if (page.draftHash === change.afterHash) return [{ page, bytes: before }]
      const back = withoutChange(bytes, before, contents.get(change.afterHash), page.encoding)
      return back === null ? [] : [{ page, bytes: back }]
    })
  }
}

/** Takes what happened between `before` and `after` out of what stands there now. @returns null where that does not fit any more */
function withoutChange(now: Uint8Array, before: Uint8Array, after: Uint8Array | undefined, encoding: string): Uint8Array | null {
  if (after === undefined) return null
  const [was, became, text] = [before, after, now].map((bytes) => decodeSource(bytes, encoding)) as [string, string, string]
  const change = differenceOf(became, was)
  if (change === null) return now
  const moved = rebasePatches(became, text, [change])
  if (!moved.ok) return null
  const patched = patchBytes(now, encoding, text, moved.value)
  return patched.ok ? patched.value : null
}

/** What a person is shown of a change, gathered while it is worked out. */
class Review {
  looked = 0
  links = 0
  readonly #byPage: BulkReview['byPage'] = []
  readonly #items: BulkItem[] = []
  readonly #skipped = new Map<string, { why: Told; links: number }>()

  add(planned: readonly Planned[]): void {
    for (const { page, changed, skipped, links } of planned) {
      this.looked += links
      for (const why of skipped) {
        const key = JSON.stringify(why)
        this.#skipped.set(key, { why, links: (this.#skipped.get(key)?.links ?? 0) + 1 })
      }
      if (changed.length === 0) continue
      this.links += changed.length
      this.#byPage.push({ pageId: page.id, page: page.path, title: page.title, links: changed.length })
      for (const { text, before, after } of changed.slice(0, ITEMS_MAX - this.#items.length))
        this.#items.push({ page: page.path, pageId: page.id, title: page.title, text, before, after })
    }
  }

  shown(id: string | null): BulkReview {
    return {
      id,
      links: this.links,
      pages: this.#byPage.length,
      byPage: this.#byPage,
      items: this.#items,
      moreItems: this.links - this.#items.length,
      skipped: [...this.#skipped.values()],
    }
  }
}

function changePage(
  page: PageRow,
  known: PlacementPage,
  stored: Uint8Array,
  text: string,
  links: ReadonlyMap<number, number>,
  change: BulkChangeBody,
  help: Parameters<typeof changeLinks>[4],
): { bytes: Uint8Array; changed: readonly ChangedLink[]; skipped: readonly Told[] } {
  if (page.kind === 'menu') {
    const { menu, changed, skipped } = changeEntries(readMenu(text), new Set(links.keys()), change, help)
    return { bytes: new TextEncoder().encode(JSON.stringify(menu)), changed, skipped }
  }
  const made = changeLinks(text, known, links, change, help)
  const patched = patchPage(page, stored, text, made.patches)
  if (patched === null) {
    return {
      bytes: stored,
      changed: [],
      skipped: [...made.skipped, ...made.changed.map(() => tell('change.encoding'))],
    }
  }
  return { bytes: patched, changed: made.changed, skipped: made.skipped }
}
