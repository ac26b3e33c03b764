import type { BulkChange, BulkChangeBody, BulkChangeNew, BulkItem, BulkReview, BulkUndone } from '../contract/bulk-changes.ts'
import { BulkChangeBody as BulkChangeShape } from '../contract/bulk-changes.ts'
import { normalise } from '../core/address/index.ts'
import { applyPatches, decodeSource, differenceOf, patchBytes, rebasePatches, writableIn } from '../core/markup/index.ts'
import { readMenu } from '../core/menus/index.ts'
import { type ChangedLink, changeEntries, changeLinks, destinationOf, type PlacementPage } from '../core/placements/index.ts'
import { fail, ok, type Result } from '../core/result.ts'
import type { SiteGround } from '../core/rules/index.ts'
import { type BulkPage, bulkChangePages, insertBulkChange, listBulkChanges, markUndone } from '../data/bulk-changes.ts'
import { rows } from '../data/database.ts'
import { findPage, getBlob, type ListedPage, updateDraft } from '../data/pages.ts'
import { newContent } from './content.ts'
import { type Actor, type Context, type SiteViews, write, writeAudit } from './context.ts'
import { listQuery, type placementsService } from './placements.ts'
import type { visitsService } from './visits.ts'

/** Links shown of a review; the numbers count all. */
const ITEMS_MAX = 300
/** Destinations that are visited for their titles in one change; the rest is left alone and told. */
const TITLES_MAX = 40
const SHOWN_MAX = 30

/** A page as it is to become. */
interface Planned {
  readonly page: ListedPage
  readonly bytes: Uint8Array
  readonly changed: readonly ChangedLink[]
}

export function bulkChangesService(
  { db }: Context,
  views: SiteViews,
  placements: ReturnType<typeof placementsService>,
  visits: ReturnType<typeof visitsService>,
) {
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
    const found = 'filter' in selection ? list.ask(listQuery(selection.filter)).found : list.judged.keys()
    for (const i of found) {
      const judged = list.judged[i]
      if (judged === undefined) continue
      const { page, ordinal, start } = judged.placement
      const asked = chosen === null ? start : chosen.get(page.id)?.get(ordinal)
      if (asked === undefined || except.has(page.id)) continue
      pages.set(page.id, page)
      const links = wanted.get(page.id) ?? new Map<number, number>()
      links.set(ordinal, asked)
      wanted.set(page.id, links)
      if (change.do === 'take title') destinations.add(destinationOf(judged))
    }
    return { wanted, pages, titles: await titlesOf(actor, view, destinations) }
  }

  async function titlesOf(actor: Actor, { origin }: SiteGround, destinations: ReadonlySet<string>): Promise<ReadonlyMap<string, string>> {
    const titles = new Map<string, string>()
    if (destinations.size === 0) return titles
    const own = await rows<{ path: string; title: string }>(
      db,
      `SELECT path, title FROM pages WHERE site_id = $1 AND kind = 'page' AND removed_at IS NULL`,
      [actor.siteId],
    )
    for (const { path, title } of own) titles.set(normalise(path, origin) ?? path, title)
    const outside = [...destinations].filter((each) => !titles.has(each) && /^https?:/.test(each)).slice(0, TITLES_MAX)
    await Promise.all(
      outside.map(async (destination) => {
        const seen = await visits.visit(actor, destination)
        if (seen.ok && seen.value.title !== null) titles.set(destination, seen.value.title)
      }),
    )
    return titles
  }

  const plan = async (actor: Actor, asked: BulkChangeNew): Promise<{ planned: Planned[]; skipped: Map<string, number> }> => {
    const view = await views.of(actor)
    const { wanted, pages, titles } = await select(actor, asked, view)
    const titleOf = (destination: string) => titles.get(destination) ?? null
    const planned: Planned[] = []
    const skipped = new Map<string, number>()
    for (const [pageId, links] of wanted) {
      const page = await findPage(db, actor.siteId, pageId)
      const known = pages.get(pageId)
      const stored = page === null ? null : await getBlob(db, page.draftHash)
      if (page === null || known === undefined || stored === null) continue
      const text = decodeSource(stored, page.encoding)
      const made = await views.knowing(view, (site) => changePage(page, known, stored, text, links, asked.change, { site, titleOf }))
      for (const why of made.skipped) skipped.set(why, (skipped.get(why) ?? 0) + 1)
      if (made.changed.length > 0) planned.push({ page, bytes: made.bytes, changed: made.changed })
    }
    return { planned, skipped }
  }

  return {
    /**
     * Changes many links at once, or only shows what would change. All of it is one transaction, and taken back in one step.
     */
    async make(actor: Actor, asked: BulkChangeNew): Promise<Result<BulkReview, 'forbidden' | 'moved-on' | 'nothing-to-change'>> {
      if (!actor.can('pages:publish')) return fail('forbidden')
      const { planned, skipped } = await plan(actor, asked)
      const links = planned.reduce((sum, { changed }) => sum + changed.length, 0)
      const items: BulkItem[] = planned.flatMap(({ page, changed }) =>
        changed.map(({ text, before, after }) => ({ page: page.path, pageId: page.id, title: page.title, text, before, after })),
      )
      const review: BulkReview = {
        id: null,
        links,
        pages: planned.length,
        byPage: planned.map(({ page, changed }) => ({ pageId: page.id, page: page.path, title: page.title, links: changed.length })),
        items: items.slice(0, ITEMS_MAX),
        moreItems: Math.max(0, items.length - ITEMS_MAX),
        skipped: [...skipped].map(([why, count]) => ({ why, links: count })),
      }
      if (asked.dryRun) return ok(review)
      if (planned.length === 0) return fail('nothing-to-change')
      const saved = await write(db, async (transaction, changes) => {
        const pages: BulkPage[] = []
        for (const { page, bytes } of planned) {
          const content = newContent(bytes, page.title, { encoding: page.encoding, kind: page.kind, path: page.path, notes: page })
          const madeBy = asked.change.do === 'bake' ? 'bake' : 'bulk'
          const version = await updateDraft(
            db,
            { pageId: page.id, version: page.version, content, personId: actor.personId, madeBy },
            transaction,
          )
          if (version === null) return fail('moved-on', { why: `“${page.title}” was saved in the meantime. Look at the change again.` })
          pages.push({ pageId: page.id, beforeHash: page.draftHash, beforeEncoding: page.encoding, afterHash: content.hash })
        }
        const id = await insertBulkChange(
          db,
          { siteId: actor.siteId, change: asked.change, links, personId: actor.personId, pages },
          transaction,
        )
        changes.add(
          actor.siteId,
          'pages',
          pages.map(({ pageId }) => pageId),
          'changed',
        )
        changes.add(actor.siteId, 'bulk-changes', id, 'made')
        await writeAudit(db, actor, 'bulk-changes:make', id, { do: asked.change.do, links, pages: pages.length }, transaction)
        return ok(id)
      })
      return saved.ok ? ok({ ...review, id: saved.value }) : saved
    },

    /** Takes a bulk change back. A page that was edited since keeps those edits; where both meet in one place it is left and told. */
    async undo(actor: Actor, id: string): Promise<Result<BulkUndone, 'forbidden' | 'not-found' | 'moved-on' | 'already-undone'>> {
      if (!actor.can('pages:publish')) return fail('forbidden')
      const [known] = await listBulkChanges(db, actor.siteId, id, 1)
      if (known === undefined) return fail('not-found')
      const back: { page: ListedPage; bytes: Uint8Array }[] = []
      const left: { page: string; why: string }[] = []
      for (const each of await bulkChangePages(db, id)) {
        const page = await findPage(db, actor.siteId, each.pageId)
        if (page === null) continue
        const bytes = await bytesBefore(page, each)
        if (bytes === null) left.push({ page: page.path, why: 'It was edited in the same place since. Its history has every version.' })
        else back.push({ page, bytes })
      }
      const saved = await write(db, async (transaction, changes) => {
        if (!(await markUndone(db, id, transaction))) return fail('already-undone')
        for (const { page, bytes } of back) {
          const content = newContent(bytes, page.title, { encoding: page.encoding, kind: page.kind, path: page.path, notes: page })
          const version = await updateDraft(
            db,
            { pageId: page.id, version: page.version, content, personId: actor.personId, madeBy: 'undo' },
            transaction,
          )
          if (version === null) return fail('moved-on', { why: `“${page.title}” is being edited. Try again in a moment.` })
        }
        changes.add(
          actor.siteId,
          'pages',
          back.map(({ page }) => page.id),
          'changed',
        )
        changes.add(actor.siteId, 'bulk-changes', id, 'removed')
        await writeAudit(db, actor, 'bulk-changes:undo', id, { pages: back.length, left: left.length }, transaction)
        return ok(null)
      })
      return saved.ok ? ok({ pages: back.length, left }) : saved
    },

    /** The newest bulk changes. */
    async list(actor: Actor): Promise<Result<{ items: BulkChange[] }, 'forbidden'>> {
      if (!actor.can('pages:read')) return fail('forbidden')
      const found = await listBulkChanges(db, actor.siteId, null, SHOWN_MAX)
      return ok({ items: found.map((row) => ({ ...row, change: BulkChangeShape.parse(row.change), at: new Date(row.at).toISOString() })) })
    },
  }

  async function bytesBefore(page: ListedPage, { beforeHash, beforeEncoding, afterHash }: BulkPage): Promise<Uint8Array | null> {
    const [before, after] = [await getBlob(db, beforeHash), await getBlob(db, afterHash)]
    if (before === null || after === null || page.encoding !== beforeEncoding) return null
    if (page.draftHash === afterHash) return before
    const now = await getBlob(db, page.draftHash)
    if (now === null) return null
    const [texts, text] = [[after, before].map((bytes) => decodeSource(bytes, page.encoding)), decodeSource(now, page.encoding)] as const
    const change = differenceOf(texts[0] ?? '', texts[1] ?? '')
    if (change === null) return now
    const moved = rebasePatches(texts[0] ?? '', text, [change])
    if (!moved.ok) return null
    const patched = patchBytes(now, page.encoding, text, moved.value)
    return patched.ok ? patched.value : null
  }
}

function changePage(
  page: ListedPage,
  known: PlacementPage,
  stored: Uint8Array,
  text: string,
  links: ReadonlyMap<number, number>,
  change: BulkChangeBody,
  help: Parameters<typeof changeLinks>[4],
): { bytes: Uint8Array; changed: readonly ChangedLink[]; skipped: readonly string[] } {
  if (page.kind === 'menu') {
    const { menu, changed, skipped } = changeEntries(readMenu(text), new Set(links.keys()), change, help)
    return { bytes: new TextEncoder().encode(JSON.stringify(menu)), changed, skipped }
  }
  const made = changeLinks(text, known, links, change, help)
  const patches = made.patches.map((patch) => ({ ...patch, insert: writableIn(patch.insert, page.encoding) }))
  const patched = patchBytes(stored, page.encoding, text, patches)
  if (!patched.ok || decodeSource(patched.value, page.encoding) !== applyPatches(text, patches)) {
    return {
      bytes: stored,
      changed: [],
      skipped: [...made.skipped, ...made.changed.map(() => 'The page’s encoding does not allow a change in this place.')],
    }
  }
  return { bytes: patched.value, changed: made.changed, skipped: made.skipped }
}
