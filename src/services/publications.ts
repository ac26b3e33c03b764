import { mayAsk } from '../contract/operation.ts'
import {
  publications as calls,
  type Difference,
  type LinkChange,
  type Plan,
  type PlanNew,
  type Publication,
  PublicationCheck,
  type PublicationNew,
  type PublicationReview,
  type PublicationView,
  type Unpublished,
} from '../contract/publications.ts'
import { normalise } from '../core/address/index.ts'
import { asDelivered, deliverSource, type LinkAsDelivered, linkChanges, readMenuContent } from '../core/content/index.ts'
import { decodeSource } from '../core/markup/index.ts'
import { readMenu, titlesWithoutLanding } from '../core/menus/index.ts'
import { isUnmarked } from '../core/placements/index.ts'
import { fail, ok, type Result } from '../core/result.ts'
import type { SiteGround } from '../core/rules/index.ts'
import type { Changes } from '../data/changes.ts'
import { getBlob, getContent } from '../data/contents.ts'
import type { Transaction } from '../data/database.ts'
import { deriveFrom } from '../data/derived.ts'
import { cancelPlan, insertPlan, listPlans, type PlanRow } from '../data/plans.ts'
import {
  itemsOfPublication,
  type ListedPublication,
  listPublications,
  publish,
  publishedBy,
  restorePublication,
} from '../data/publications.ts'
import type { PageKind } from '../data/tables/index.ts'
import { findUnpublished, type UnpublishedPage, unpublishedFilePaths, unpublishedFiles, unpublishedPages } from '../data/unpublished.ts'
import { waitingOn } from '../data/waiting.ts'
import { type Actor, type Context, type SiteViews, write, writeAudit } from './context.ts'
import { newContent } from './pages/index.ts'
import { fillSubIds } from './partners/index.ts'
import type { placementsService } from './placements/index.ts'

const shown = (row: ListedPublication): Publication => {
  const check = PublicationCheck.safeParse(row.check)
  return { ...row, at: new Date(row.at).toISOString(), check: check.success ? check.data : null }
}
const shownPlan = ({ at, pages, ...rest }: PlanRow): Plan => ({ ...rest, at: new Date(at).toISOString(), pages: pages?.length ?? null })

/** Pages named one by one; the rest are counted. */
const NAMED_PAGES = 200
/** Where only some are shown. */
const NAMED_IN_SHORT = 20
/** Drafts looked at before a publication. */
const REVIEWED_PAGES = 2_000
/** Files named one by one. */
const NAMED_FILES = 50
/** Changed links named of one page. */
const NAMED_LINKS = 100
/** Paid links named that search engines would not be told of; as many are marked in one step. */
const NAMED_UNMARKED = 500
/** Links named that would lead to where nothing is. */
const NAMED_NOWHERE = 200
/** Counts of changed links kept, by what they were counted between. */
const COUNTS_KEPT = 5_000

/** The queue on which the live site is asked for what was published. */
export const CHECKS = 'publication-checks'

/** The text of a page or block, or what a menu shows. */
export function textOf(kind: PageKind, bytes: Uint8Array, encoding: string): string {
  return kind === 'menu' ? readMenuContent(bytes).text : decodeSource(bytes, encoding)
}

export function publicationsService(context: Context, views: SiteViews, placements: ReturnType<typeof placementsService>) {
  const { db, enqueue } = context
  const counts = new Map<string, number>()

  /** The links of one version as readers get them. */
  const titlesOf = async (hash: string | null) => {
    const bytes = hash === null ? null : await getBlob(db, hash)
    return bytes === null ? [] : titlesWithoutLanding(readMenu(decodeSource(bytes, 'utf-8')).entries)
  }
  const linksOf = async (
    view: SiteGround,
    { kind, path }: { kind: PageKind; path: string },
    hash: string | null,
    encoding: string | null,
    waiting: readonly string[] = [],
  ): Promise<readonly LinkAsDelivered[]> => {
    const content = hash === null ? null : await getContent(db, hash)
    if (content === null) return []
    const { bytes, tags, writtenFor } = content
    return views.knowing(view, (site) => {
      const page = deliverSource(textOf(kind, bytes, encoding ?? 'utf-8'), site, { path, waiting, tags, writtenFor })
      return asDelivered(page.whole, page.links)
    })
  }

  const countOf = async (view: SiteGround, page: UnpublishedPage): Promise<number> => {
    if (page.isNew || page.isRemoved) return page.links
    const key = [page.liveHash, page.draftHash, page.encoding, page.path].join(' ')
    const known = counts.get(key)
    if (known !== undefined) return known
    const count = linkChanges(
      await linksOf(view, page, page.liveHash, page.liveEncoding),
      await linksOf(view, page, page.draftHash, page.encoding),
    ).length
    if (counts.size >= COUNTS_KEPT) counts.clear()
    counts.set(key, count)
    return count
  }

  /** What differs from the live site: the newest, of which what changes links stands first. */
  async function differing(actor: Actor, most: number): Promise<Result<Unpublished, 'forbidden'>> {
    if (!mayAsk(actor, calls.unpublished)) return fail('forbidden')
    const [view, { pages, total }, files, filePaths] = await Promise.all([
      views.of(actor),
      unpublishedPages(db, actor.siteId, most),
      unpublishedFiles(db, actor.siteId),
      unpublishedFilePaths(db, actor.siteId, NAMED_FILES),
    ])
    const named: Unpublished['pages'] = []
    for (const page of pages) {
      const { id, kind, path, title, isNew, isRemoved, by, at } = page
      named.push({ id, kind, path, title, isNew, isRemoved, by, at: new Date(at).toISOString(), linkChanges: await countOf(view, page) })
    }
    return ok({
      pages: named.sort((a, b) => b.linkChanges - a.linkChanges || b.at.localeCompare(a.at)),
      morePages: total - pages.length,
      byOthers: pages.filter(({ byId }) => byId !== null && byId !== actor.personId).length,
      files,
      filePaths,
      linkChanges: named.reduce((sum, page) => sum + page.linkChanges, 0),
    })
  }

  return {
    /** What differs from the live site. */
    unpublished: (actor: Actor): Promise<Result<Unpublished, 'forbidden'>> => differing(actor, NAMED_PAGES),

    /** The same with few named: of each its links are counted. */
    unpublishedInShort: (actor: Actor): Promise<Result<Unpublished, 'forbidden'>> => differing(actor, NAMED_IN_SHORT),

    /** How one draft differs from what is live: its links, and both texts. */
    async difference(actor: Actor, id: string): Promise<Result<Difference, 'forbidden' | 'not-found'>> {
      if (!mayAsk(actor, calls.difference)) return fail('forbidden')
      const page = await findUnpublished(db, actor.siteId, id)
      if (page === null) return fail('not-found')
      const view = await views.of(actor)
      const waiting = await waitingOn(db, id)
      const links = linkChanges(
        await linksOf(view, page, page.liveHash, page.liveEncoding, waiting),
        page.isRemoved ? [] : await linksOf(view, page, page.draftHash, page.encoding, waiting),
      )
      const text = async (hash: string | null, encoding: string | null): Promise<string | null> => {
        const bytes = hash === null ? null : await getBlob(db, hash)
        return bytes === null ? null : textOf(page.kind, bytes, encoding ?? 'utf-8')
      }
      return ok({
        id,
        links: links.slice(0, NAMED_LINKS).map(shownChange),
        moreLinks: Math.max(0, links.length - NAMED_LINKS),
        before: await text(page.liveHash, page.liveEncoding),
        after: page.isRemoved ? null : await text(page.draftHash, page.encoding),
      })
    },

    /** What a publication would take along, whose work it is, and what it would break. Nothing is published. */
    async review(actor: Actor, wanted: PublicationNew): Promise<Result<PublicationReview, 'forbidden'>> {
      if (!mayAsk(actor, calls.review)) return fail('forbidden')
      const view = await views.of(actor)
      const { pages: all } = await unpublishedPages(db, actor.siteId, REVIEWED_PAGES)
      const named = 'all' in wanted ? null : new Set(wanted.pages)
      const pages = all.filter(({ id }) => named === null || named.has(id))
      const left = new Map(
        all.filter((page) => page.isNew && page.kind === 'page' && !pages.includes(page)).map((page) => [page.path, page]),
      )
      const menus: PublicationReview['menus'] = []
      const fresh = new Map(pages.filter((page) => page.isNew && page.kind === 'page').map((page) => [page.path, page]))
      if (fresh.size > 0)
        for (const menu of all.filter((each) => each.kind === 'menu' && !each.isRemoved && !pages.includes(each))) {
          for (const { href } of await linksOf(view, menu, menu.draftHash, menu.encoding)) {
            const found = fresh.get(insidePath(view, href, '/') ?? '')
            if (found === undefined) continue
            menus.push({ id: menu.id, title: menu.title, page: found.title })
            break
          }
        }
      const missing = new Map<string, PublicationReview['missing'][number]>()
      if (left.size > 0)
        for (const page of pages.filter(({ isRemoved }) => !isRemoved)) {
          for (const { href } of await linksOf(view, page, page.draftHash, page.encoding)) {
            const path = insidePath(view, href, page.kind === 'page' ? page.path : '/')
            const found = path === null ? undefined : left.get(path)
            if (found !== undefined && !missing.has(found.id))
              missing.set(found.id, { id: found.id, title: found.title, path: found.path, from: page.title })
          }
        }
      const list = await placements.listOf(actor.siteId, view)
      const breaks: PublicationReview['breaks'] = []
      const going = pages
        .filter(({ isRemoved, kind }) => isRemoved && kind === 'page')
        .map((page) => ({ ...page, address: normalise(view.origin + page.path) ?? page.path }))
      const leading = list.pagesLeadingTo(going.map(({ address }) => address))
      for (const { id, title, path, address } of going) {
        const from = [...(leading.get(address) ?? [])].filter((page) => page.id !== id)
        const of = (wanted: PageKind): number => from.filter(({ kind }) => kind === wanted).length
        if (from.length > 0) breaks.push({ title, path, pages: of('page'), menus: of('menu'), blocks: of('block') })
      }
      const nowhere: PublicationReview['nowhere'] = []
      for (const page of pages) {
        const frayed = page.isRemoved ? [] : list.frayedOn(page.id).filter(({ facts }) => facts.address !== null && !facts.isOutside)
        if (frayed.length === 0 || nowhere.length >= NAMED_NOWHERE) continue
        // What readers find broken already is no news of this publication.
        const live = new Set((await linksOf(view, page, page.liveHash, page.liveEncoding)).map(({ href }) => href))
        for (const { placement, facts } of frayed)
          if (!live.has(placement.written.href) && !left.has(insidePath(view, facts.address ?? '', '/') ?? ''))
            nowhere.push({ pageId: page.id, title: page.title, text: placement.text, address: facts.address ?? placement.written.href })
      }
      const titles: PublicationReview['titles'] = []
      for (const { id, title, draftHash, liveHash } of pages.filter(({ kind, isRemoved }) => kind === 'menu' && !isRemoved)) {
        const live = new Set((await titlesOf(liveHash)).map((entry) => entry.id))
        for (const { id: entry, label } of await titlesOf(draftHash)) if (!live.has(entry)) titles.push({ id, title, label })
      }
      const unmarked = pages.flatMap(({ id, title, isRemoved }) =>
        isRemoved
          ? []
          : list
              .judgedOn(id)
              .filter(isUnmarked)
              .map(({ placement: { text, ordinal, start } }) => ({ pageId: id, title, text, ordinal, start })),
      )
      return ok({
        pages: pages.length,
        files: await unpublishedFiles(db, actor.siteId),
        items: pages
          .slice(0, NAMED_PAGES)
          .map(({ id, title, by, byId }) => ({ id, title, by, isMine: byId === null || byId === actor.personId })),
        byOthers: pages.filter(({ byId }) => byId !== null && byId !== actor.personId).length,
        missing: [...missing.values()],
        menus,
        breaks,
        nowhere: nowhere.slice(0, NAMED_NOWHERE),
        titles: titles.slice(0, NAMED_NOWHERE),
        unmarked: unmarked.slice(0, NAMED_UNMARKED),
      })
    },

    /** Makes drafts live: all of them, or those named and the files. Visitors see them at once; then the live site is asked for them. */
    async create(actor: Actor, wanted: PublicationNew): Promise<Result<Publication, 'forbidden' | 'nothing-to-publish'>> {
      if (!mayAsk(actor, calls.create)) return fail('forbidden')
      const saved = await write(db, async (transaction, changes) => {
        const named = 'all' in wanted ? null : wanted.pages
        changes.add(actor.siteId, 'pages', await fillSubIds(context, views, actor, named, transaction), 'changed')
        const id = await publish(db, actor.siteId, named, actor.personId, transaction)
        if (id === null) return fail('nothing-to-publish')
        changes.add(actor.siteId, 'publications', id, 'made')
        await addPublished(actor.siteId, id, changes, transaction)
        await writeAudit(db, actor, 'pages:publish', id, 'all' in wanted ? { all: true } : { pages: wanted.pages.length }, transaction)
        return ok(id)
      })
      return saved.ok ? made(actor, saved.value) : saved
    },

    /** Brings the live site back to what it was after an earlier publication, as a new one. */
    async restore(actor: Actor, id: string): Promise<Result<Publication, 'forbidden' | 'not-found' | 'nothing-to-publish'>> {
      if (!mayAsk(actor, calls.restore)) return fail('forbidden')
      const [target] = await listPublications(db, actor.siteId, id, 1)
      if (target === undefined) return fail('not-found')
      const saved = await write(db, async (transaction, changes) => {
        const restored = await restorePublication(db, actor.siteId, target.number, actor.personId, transaction)
        if (restored === null) return fail('nothing-to-publish')
        for (const { id: pageId, hash, encoding, kind, path, title } of restored.drafts) {
          const content = await getContent(db, hash)
          if (content !== null)
            await deriveFrom(
              db,
              [{ pageId, content: newContent(content.bytes, title, { encoding, kind, path, notes: content }) }],
              transaction,
            )
        }
        changes.add(actor.siteId, 'publications', restored.id, 'made')
        changes.add(
          actor.siteId,
          'pages',
          restored.drafts.map((draft) => draft.id),
          'changed',
        )
        await addPublished(actor.siteId, restored.id, changes, transaction)
        await writeAudit(db, actor, 'publications:restore', restored.id, { number: target.number }, transaction)
        return ok(restored.id)
      })
      return saved.ok ? made(actor, saved.value) : saved
    },

    async list(actor: Actor): Promise<Result<{ items: Publication[] }, 'forbidden'>> {
      if (!mayAsk(actor, calls.list)) return fail('forbidden')
      return ok({ items: (await listPublications(db, actor.siteId, null, 50)).map(shown) })
    },

    /** One publication with what it changed. */
    async view(actor: Actor, id: string): Promise<Result<PublicationView, 'forbidden' | 'not-found'>> {
      if (!mayAsk(actor, calls.view)) return fail('forbidden')
      const [row] = await listPublications(db, actor.siteId, id, 1)
      if (row === undefined) return fail('not-found')
      const view = await views.of(actor)
      const items: PublicationView['items'] = []
      for (const item of await itemsOfPublication(db, id, NAMED_PAGES)) {
        const { kind, path, fromHash, toHash } = item
        const links =
          kind === 'file'
            ? []
            : linkChanges(
                await linksOf(view, { kind, path }, fromHash, item.fromEncoding),
                await linksOf(view, { kind, path }, toHash, item.encoding),
              )
        items.push({
          kind,
          path,
          title: item.title ?? path,
          what: fromHash === null ? 'new' : toHash === null ? 'removed' : 'changed',
          links: links.slice(0, NAMED_LINKS).map(shownChange),
          moreLinks: Math.max(0, links.length - NAMED_LINKS),
        })
      }
      return ok({
        ...shown(row),
        items: items.sort((a, b) => b.links.length - a.links.length),
        moreItems: Math.max(0, row.pages + row.files - items.length),
      })
    },

    /** Publishes later, by itself. */
    async plan(actor: Actor, { at, what }: PlanNew): Promise<Result<Plan, 'forbidden' | 'time-passed'>> {
      if (!mayAsk(actor, calls.plan)) return fail('forbidden')
      const due = new Date(at)
      if (due.getTime() < Date.now()) return fail('time-passed', { at })
      return write(db, async (transaction) => {
        const pages = 'all' in what ? null : what.pages
        const row = await insertPlan(db, { siteId: actor.siteId, at: due, pages, personId: actor.personId }, transaction)
        await writeAudit(db, actor, 'publications:plan', row.id, { at: due.toISOString() }, transaction)
        return ok(shownPlan(row))
      })
    },

    async plans(actor: Actor): Promise<Result<{ items: Plan[] }, 'forbidden'>> {
      if (!mayAsk(actor, calls.plans)) return fail('forbidden')
      return ok({ items: (await listPlans(db, actor.siteId, 30)).map(shownPlan) })
    },

    async cancelPlan(actor: Actor, id: string): Promise<Result<null, 'forbidden' | 'not-found'>> {
      if (!mayAsk(actor, calls.cancelPlan)) return fail('forbidden')
      return write(db, async (transaction) => {
        if (!(await cancelPlan(db, actor.siteId, id, transaction))) return fail('not-found')
        await writeAudit(db, actor, 'publications:unplan', id, {}, transaction)
        return ok(null)
      })
    },
  }

  /** What visitors get anew. */
  async function addPublished(siteId: string, id: string, changes: Changes, transaction: Transaction): Promise<void> {
    const { pages, files } = await publishedBy(db, siteId, id, transaction)
    changes.add(siteId, 'pages', pages, 'published')
    changes.add(siteId, 'files', files, 'published')
  }

  async function made(actor: Actor, id: string): Promise<Result<Publication, never>> {
    await enqueue(CHECKS, { publication: id })
    const [row] = await listPublications(db, actor.siteId, id, 1)
    if (row === undefined) throw new Error('A publication vanished as it was made')
    return ok(shown(row))
  }
}

/** The path of one of the site's own pages that a link leads to; null for any other destination. */
function insidePath(view: SiteGround, href: string, from: string): string | null {
  if (!URL.canParse(href, view.origin + from)) return null
  const url = new URL(href, view.origin + from)
  return url.origin === view.origin ? url.pathname : null
}

function shownChange({ before, after }: { before: LinkAsDelivered | null; after: LinkAsDelivered | null }): LinkChange {
  const marks = (link: LinkAsDelivered | null) => (link === null ? null : { href: link.href, rel: link.rel, target: link.target })
  return { text: after?.text ?? before?.text ?? '', before: marks(before), after: marks(after) }
}
