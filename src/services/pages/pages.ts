import { randomUUID } from 'node:crypto'
import type { ApartFault } from '../../apart/index.ts'
import { mayAsk } from '../../contract/operation.ts'
import {
  pages as calls,
  type Page,
  type PageChange,
  type PageNew,
  type PageQuery,
  type PageRemoval,
  type PageRestore,
  type PageSaved,
  type PageSource,
  type Presence,
  type Revision,
  type RevisionSource,
  type Section,
  type WritingDiffered,
} from '../../contract/pages.ts'
import { normalise, pathSpellings } from '../../core/address/index.ts'
import { NO_NOTES, nameForPath, nameHeading, type PageFault, type PageNotes, scanHeadings } from '../../core/content/index.ts'
import { decodeSource, writableIn } from '../../core/markup/index.ts'
import { isReadableMenu, joinMenu, leaveOut, type Menu, readMenu } from '../../core/menus/index.ts'
import { fail, ok, type Result } from '../../core/result.ts'
import { readTags } from '../../core/rules/index.ts'
import { pageLike } from '../../core/writing/index.ts'
import { getBlob, getContent } from '../../data/contents.ts'
import { findPage, insertPage, type ListedPage, listPages, markRemoved, updateDraft } from '../../data/pages.ts'
import { signPresence } from '../../data/presence.ts'
import { listRevisions, type RevisionRow } from '../../data/revisions.ts'
import { waitingOn } from '../../data/waiting.ts'
import { inWords, tell } from '../../words/index.ts'
import { type Actor, type Context, cursorOf, PathCursor, readCursor, type SiteViews, write, writeAudit } from '../context.ts'
import { leadOldAddress, mayLead, type RedirectFieldFault } from '../redirects/index.ts'
import type { waitingService } from '../waiting.ts'
import { givenContent, newContent, patchContent } from './content.ts'

export function shownPageRow(page: ListedPage, origin: string): Page {
  return {
    id: page.id,
    kind: page.kind,
    path: page.path,
    title: page.title,
    encoding: page.encoding,
    state: page.liveHash === null ? 'new' : page.liveHash === page.draftHash && page.removedAt === null ? 'live' : 'changed',
    version: page.version,
    cameAs: page.originKind === 'markdown' ? 'markdown' : 'html',
    address: origin + (page.kind === 'page' ? page.path : '/'),
    links: page.links,
    draftAt: new Date(page.draftAt).toISOString(),
    liveAt: page.liveAt === null ? null : new Date(page.liveAt).toISOString(),
    editedBy: page.editor,
    writtenFor: page.writtenFor,
    tags: page.tags,
    isRemoved: page.removedAt !== null,
  }
}

/** Versions shown of one page; older ones are kept and can be asked for by number. */
const REVISIONS_SHOWN = 200

/** Acts for somebody whose right was looked at when the work was ordered. */
const SYSTEM: Pick<Actor, 'name' | 'email' | 'role' | 'tokenId' | 'sessionId' | 'can'> = {
  name: '',
  email: '',
  role: 'editor',
  tokenId: null,
  sessionId: null,
  can: () => true,
}

type ChangeFault =
  | 'forbidden'
  | 'not-found'
  | 'moved-on'
  | 'patches-unfit'
  | 'encoding-unpatchable'
  | 'partner-unknown'
  | PageFault
  | ApartFault

export function pagesService({ db, log }: Context, views: SiteViews, waiting: ReturnType<typeof waitingService>) {
  const sourceOf = async (page: ListedPage): Promise<{ bytes: Buffer; text: string }> => {
    const bytes = await getBlob(db, page.draftHash)
    if (bytes === null) throw new Error(`The content of page ${page.id} is gone`)
    return { bytes, text: decodeSource(bytes, page.encoding) }
  }
  const withSource = async (page: ListedPage, origin: string): Promise<PageSource> => ({
    ...(await savedPage(page, origin)),
    source: (await sourceOf(page)).text,
  })
  const savedPage = async (page: ListedPage, origin: string): Promise<PageSaved> => ({
    ...shownPageRow(page, origin),
    waiting: await waitingOn(db, page.id),
  })
  const movedOn = async (actor: Actor, id: string) => {
    const current = await findPage(db, actor.siteId, id)
    const { origin } = await views.of(actor)
    return current === null ? fail('not-found') : fail('moved-on', { current: await withSource(current, origin) })
  }

  /** A page that came here before there were limits can still be worked on. */
  const isTooMuchAlready = async (page: ListedPage, fault: PageFault | ApartFault): Promise<boolean> => {
    if (!fault.startsWith('page-')) return false
    const { bytes } = await sourceOf(page)
    const before = await givenContent(bytes, page.title, { encoding: page.encoding, kind: page.kind, path: page.path, notes: page })
    return !before.ok && before.fault === fault
  }

  /** Puts new bytes on top of a version: draft, revision, what is derived, and the queue, in one transaction. */
  const store = async (
    actor: Actor,
    page: ListedPage,
    bytes: Uint8Array,
    { encoding, madeBy, detail, notes = page }: { encoding: string; madeBy: string; detail: object; notes?: PageNotes },
  ): Promise<Result<PageSaved, ChangeFault>> => {
    const { origin } = await views.of(actor)
    const options = { encoding, kind: page.kind, path: page.path, notes }
    const given = await givenContent(bytes, page.title, options)
    if (!given.ok && !(await isTooMuchAlready(page, given.fault))) return given
    const content = given.ok ? given.value : newContent(bytes, page.title, options)
    const news = await waiting.newLinks(actor, page, bytes, encoding)
    const saved = await write(db, async (transaction, changes) => {
      const version = await updateDraft(
        db,
        { pageId: page.id, version: page.version, content, personId: actor.personId, madeBy },
        transaction,
      )
      if (version === null) return fail('moved-on')
      await waiting.queue(actor, page.id, news, transaction, changes)
      changes.add(actor.siteId, 'pages', page.id, 'changed')
      await writeAudit(db, actor, madeBy === 'edit' ? 'pages:edit' : `pages:${madeBy}`, page.id, { version, ...detail }, transaction)
      return ok(version)
    })
    if (!saved.ok) return movedOn(actor, page.id)
    const now = await findPage(db, actor.siteId, page.id)
    return now === null ? fail('not-found') : ok(await savedPage(now, origin))
  }

  const patch = async (
    actor: Actor,
    page: ListedPage,
    patchSets: PageChange['patchSets'],
    madeBy = 'edit',
    notes: PageNotes = page,
  ): Promise<Result<PageSaved, ChangeFault>> => {
    const { bytes: before } = await sourceOf(page)
    const patched = await patchContent({ bytes: before, encoding: page.encoding, patchSets })
    if (!patched.ok) return patched
    const bytes = patched.value
    return store(actor, page, bytes, { encoding: page.encoding, madeBy, notes, detail: { patches: patchSets.flat().length } })
  }

  const revision = async (
    actor: Actor,
    id: string,
    version: number,
  ): Promise<Result<{ page: ListedPage; row: RevisionRow; bytes: Buffer; notes: PageNotes }, 'forbidden' | 'not-found'>> => {
    if (!mayAsk(actor, calls.revision)) return fail('forbidden')
    const page = await findPage(db, actor.siteId, id)
    const [row] = page === null ? [] : await listRevisions(db, id, version, 1)
    const content = row === undefined ? null : await getContent(db, row.hash)
    return page === null || row === undefined || content === null
      ? fail('not-found')
      : ok({ page, row, bytes: content.bytes, notes: { tags: content.tags, writtenFor: content.writtenFor } })
  }

  return {
    store,
    patch,

    async list(actor: Actor, query: PageQuery): Promise<Result<{ items: Page[]; next: string | null; total: number }, 'forbidden'>> {
      if (!mayAsk(actor, calls.list)) return fail('forbidden')
      const { origin } = await views.of(actor)
      const after = readCursor(query.cursor, PathCursor)
      const { items, total } = await listPages(db, {
        siteId: actor.siteId,
        paths: query.path === undefined ? undefined : [...pathSpellings(query.path)],
        search: query.search,
        state: query.state,
        kind: query.kind,
        after,
        limit: query.limit,
      })
      const last = items[items.length - 1]
      return ok({
        items: items.map((page) => shownPageRow(page, origin)),
        next: items.length === query.limit && last !== undefined ? cursorOf(last.path) : null,
        total,
      })
    },

    /** The draft as text, ready to be edited. */
    async source(actor: Actor, id: string): Promise<Result<PageSource, 'forbidden' | 'not-found'>> {
      if (!mayAsk(actor, calls.source)) return fail('forbidden')
      const page = await findPage(db, actor.siteId, id)
      if (page === null) return fail('not-found')
      const { origin } = await views.of(actor)
      return ok(await withSource(page, origin))
    },

    /**
     * Puts patch sets on top of a version of the draft. Bytes outside the patches stay.
     * A newer version refuses with "moved-on" and the source as it now is, so that a person sees both.
     */
    async change(actor: Actor, id: string, change: PageChange): Promise<Result<PageSaved, ChangeFault>> {
      if (!mayAsk(actor, calls.change)) return fail('forbidden')
      const page = await findPage(db, actor.siteId, id)
      if (page === null) return fail('not-found')
      if (page.version !== change.version) return movedOn(actor, id)
      const { tags = page.tags, writtenFor = page.writtenFor } = change
      const { setup } = await views.of(actor)
      if (change.writtenFor != null && !setup.partners.some((partner) => partner.id === change.writtenFor)) return fail('partner-unknown')
      return patch(actor, page, change.patchSets, 'edit', { tags: readTags(tags.join(',')), writtenFor })
    },

    /** A new page with the look of another one, and an entry in each menu that new pages join. */
    async create(
      actor: Actor,
      { path, title, like, joinsMenus = true }: Omit<PageNew, 'joinsMenus'> & Partial<Pick<PageNew, 'joinsMenus'>>,
    ): Promise<Result<Page, 'forbidden' | 'not-found' | 'path-taken' | 'path-unreadable'>> {
      if (!mayAsk(actor, calls.create)) return fail('forbidden')
      const { origin, setup } = await views.of(actor)
      const address = normalise(path.startsWith('/') ? path : `/${path}`, origin)
      const wanted = address === null || !address.startsWith(origin) ? null : new URL(address).pathname
      if (wanted === null || /[?#]/.test(path)) return fail('path-unreadable', { path })
      const model = like === undefined ? await homeOf(actor.siteId) : await findPage(db, actor.siteId, like)
      if (like !== undefined && model === null) return fail('not-found')
      const source = pageLike(model === null ? null : (await sourceOf(model)).text, model?.path ?? '/', title, setup.language)
      const encoding = model?.encoding ?? 'utf-8'
      // A byte order mark or an odd encoding of the other page is not taken along.
      const bytes = new TextEncoder().encode(encoding === 'utf-8' ? source : writableIn(source, 'us-ascii'))
      const content = newContent(bytes, title, { encoding: encoding === 'utf-8' ? 'utf-8' : undefined, path: wanted, notes: NO_NOTES })
      const made = await write(db, async (transaction, changes) => {
        const id = await insertPage(
          db,
          { siteId: actor.siteId, kind: 'page', path: wanted, sourceName: nameForPath(wanted), content, personId: actor.personId },
          transaction,
        )
        if (id === null) return fail('path-taken', { path: wanted })
        changes.add(actor.siteId, 'pages', id, 'made')
        await writeAudit(db, actor, 'pages:create', id, { path: wanted }, transaction)
        return ok(id)
      })
      if (!made.ok) return made
      await changeMenus(
        actor,
        (menu) => (joinsMenus ? joinMenu(menu, { id: made.value, path: wanted, title }) : leaveOut(menu, wanted)),
        wanted,
      )
      const page = await findPage(db, actor.siteId, made.value)
      return page === null ? fail('not-found') : ok(shownPageRow(page, origin))
    },

    /** Puts pages that were brought in into the menus that new pages join, in one step a menu. */
    async joinBrought(siteId: string, personId: string | null, made: readonly { path: string; title: string }[]): Promise<void> {
      if (personId === null || made.length === 0) return
      const actor: Actor = { ...SYSTEM, siteId, personId }
      const join = (menu: Menu): Menu => made.reduce((next, { path, title }) => joinMenu(next, { id: randomUUID(), path, title }), menu)
      await changeMenus(
        actor,
        join,
        made
          .map(({ path }) => path)
          .join(' ')
          .slice(0, 500),
      )
    },

    /** Takes a page, block or menu from the site with the next publication, or takes that back. One that was never live goes at once. */
    async remove(
      actor: Actor,
      id: string,
      { version, isRemoved, leadTo }: PageRemoval,
    ): Promise<Result<Page | null, ChangeFault | RedirectFieldFault>> {
      if (!actor.can('pages:publish') || !mayLead(actor, leadTo).ok) return fail('forbidden')
      const page = await findPage(db, actor.siteId, id)
      if (page === null) return fail('not-found')
      const view = await views.of(actor)
      const saved = await write(db, async (transaction, changes) => {
        // Until the page is gone for visitors as well it comes before the row.
        if (isRemoved && leadTo !== undefined && page.kind === 'page') {
          const led = await leadOldAddress(
            db,
            actor,
            view,
            { from: page.path, to: leadTo, note: inWords(tell('page.taken-away', { title: page.title })) },
            { transaction, changes },
          )
          if (!led.ok) return led
        }
        const isGone = await markRemoved(db, { pageId: id, version, isRemoved }, transaction)
        if (isGone === null) return fail('moved-on')
        changes.add(actor.siteId, 'pages', id, isRemoved ? 'removed' : 'made')
        await writeAudit(db, actor, isRemoved ? 'pages:delete' : 'pages:undelete', id, { path: page.path }, transaction)
        return ok(isGone)
      })
      if (!saved.ok) return saved.fault === 'moved-on' ? movedOn(actor, id) : saved
      const now = await findPage(db, actor.siteId, id)
      return ok(now === null ? null : shownPageRow(now, view.origin))
    },

    /** Changes every menu of the site as a page's coming or moving asks for. @param why - of which page, for the history */
    inMenus: changeMenus,

    /** Versions, newest first. */
    async history(actor: Actor, id: string): Promise<Result<{ items: Revision[] }, 'forbidden' | 'not-found'>> {
      if (!mayAsk(actor, calls.history)) return fail('forbidden')
      if ((await findPage(db, actor.siteId, id)) === null) return fail('not-found')
      return ok({ items: (await listRevisions(db, id, null, REVISIONS_SHOWN)).map(shownRevision) })
    },

    /** A version as text. */
    async revision(actor: Actor, id: string, version: number): Promise<Result<RevisionSource, 'forbidden' | 'not-found'>> {
      const found = await revision(actor, id, version)
      return found.ok ? ok({ ...shownRevision(found.value.row), source: decodeSource(found.value.bytes, found.value.row.encoding) }) : found
    },

    /** Puts an older version on top as a new one; nothing between them is lost. */
    async restore(actor: Actor, id: string, { version, revision: number }: PageRestore): Promise<Result<Page, ChangeFault>> {
      if (!mayAsk(actor, calls.restore)) return fail('forbidden')
      const found = await revision(actor, id, number)
      if (!found.ok) return found
      const { page, row, bytes, notes } = found.value
      if (page.version !== version) return movedOn(actor, id)
      return store(actor, page, bytes, { encoding: row.encoding, madeBy: 'restore', notes, detail: { revision: number } })
    },

    /** Says that somebody has the page open, and tells who else has, and how far it is. */
    async presence(
      actor: Actor,
      id: string,
      sign: { tab: string; isLeaving: boolean },
    ): Promise<Result<Presence, 'forbidden' | 'not-found'>> {
      if (!mayAsk(actor, calls.presence)) return fail('forbidden')
      const page = await findPage(db, actor.siteId, id)
      if (page === null) return fail('not-found')
      const others = await signPresence(db, { pageId: id, personId: actor.personId, ...sign })
      return ok({ others: others.map(({ name, personId }) => ({ name, isMe: personId === actor.personId })), version: page.version })
    },

    /** Notes in the log that the page editor had to mend what was written. The words themselves are nobody's business here. */
    async differed(actor: Actor, id: string, how: WritingDiffered['how']): Promise<Result<null, 'forbidden' | 'not-found'>> {
      if (!mayAsk(actor, calls.differed)) return fail('forbidden')
      if ((await findPage(db, actor.siteId, id)) === null) return fail('not-found')
      log.error({ page: id, how }, 'what was written on a page differed from what its source would have said')
      return ok(null)
    },

    /** The headings of a page that a link can lead to. */
    async sections(actor: Actor, id: string): Promise<Result<{ items: Section[] }, 'forbidden' | 'not-found'>> {
      if (!mayAsk(actor, calls.sections)) return fail('forbidden')
      const page = await findPage(db, actor.siteId, id)
      if (page === null) return fail('not-found')
      return ok({
        items: scanHeadings((await sourceOf(page)).text).map(({ text, level, id: name, start }) => ({ text, level, id: name, start })),
      })
    },

    /** Gives a heading a name, so that it can be linked to. */
    async nameSection(actor: Actor, id: string, start: number): Promise<Result<{ id: string; version: number }, ChangeFault>> {
      if (!mayAsk(actor, calls.nameSection)) return fail('forbidden')
      const page = await findPage(db, actor.siteId, id)
      if (page === null) return fail('not-found')
      const { text } = await sourceOf(page)
      const known = scanHeadings(text).find((heading) => heading.start === start)?.id
      if (known !== null && known !== undefined) return ok({ id: known, version: page.version })
      const named = nameHeading(text, start)
      if (named === null) return fail('patches-unfit')
      const saved = await patch(actor, page, [[named.patch]])
      return saved.ok ? ok({ id: named.id, version: saved.value.version }) : saved
    },
  }

  async function homeOf(siteId: string): Promise<ListedPage | null> {
    const { items } = await listPages(db, { siteId, limit: 2, paths: ['/'] })
    const [first] = items.length > 0 ? items : (await listPages(db, { siteId, limit: 1 })).items
    return first ?? null
  }

  /** Changes every menu of the site. One that cannot be read is left as it is: nothing is ever saved over it. */
  async function changeMenus(actor: Actor, change: (menu: Menu) => Menu, path: string): Promise<void> {
    for (const menu of (await listPages(db, { siteId: actor.siteId, kind: 'menu', limit: 500 })).items) {
      const { text } = await sourceOf(menu)
      if (!isReadableMenu(text)) continue
      const before = readMenu(text)
      const after = change(before)
      if (after !== before)
        await store(actor, menu, new TextEncoder().encode(JSON.stringify(after)), {
          encoding: 'utf-8',
          madeBy: 'edit',
          detail: { joined: path },
        })
    }
  }
}

const shownRevision = ({ version, title, madeBy, by, at, isLive }: RevisionRow): Revision => ({
  version,
  title,
  madeBy,
  by,
  at: new Date(at).toISOString(),
  isLive: isLive === true,
})
