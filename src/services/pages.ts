import { createHash } from 'node:crypto'
import type { Page, PageChange, PageQuery, PageSource } from '../contract/pages.ts'
import { readPage } from '../core/content/index.ts'
import { applyPatches, decodeSource, isApplicable, patchBytes } from '../core/markup/index.ts'
import { fail, ok, type Result } from '../core/result.ts'
import { findPage, getBlob, type ListedPage, listPages, type NewContent, updateDraft } from '../data/pages.ts'
import { type Actor, type Context, cursorOf, readCursor, type SiteViews, write, writeAudit } from './context.ts'

/** The name content is kept under. */
export const hashOf = (bytes: Uint8Array): string => createHash('sha256').update(bytes).digest('hex')

/** Reads bytes into what is stored of a page. */
export function newContent(bytes: Uint8Array, fallbackTitle: string, encoding?: string): NewContent {
  const read = readPage(bytes, encoding)
  return { hash: hashOf(bytes), bytes, encoding: read.encoding, title: read.title ?? fallbackTitle, placements: read.placements }
}

function shown(page: ListedPage, origin: string): Page {
  return {
    id: page.id,
    path: page.path,
    title: page.title,
    encoding: page.encoding,
    state: page.liveHash === null ? 'new' : page.liveHash === page.draftHash ? 'live' : 'changed',
    version: page.version,
    address: origin + page.path,
    links: page.links,
    draftAt: new Date(page.draftAt).toISOString(),
    liveAt: page.liveAt === null ? null : new Date(page.liveAt).toISOString(),
    editedBy: page.editor,
  }
}

export function pagesService({ db }: Context, views: SiteViews) {
  const sourceOf = async (page: ListedPage): Promise<{ bytes: Buffer; text: string }> => {
    const bytes = await getBlob(db, page.draftHash)
    if (bytes === null) throw new Error(`The content of page ${page.id} is gone`)
    return { bytes, text: decodeSource(bytes, page.encoding) }
  }

  return {
    async list(actor: Actor, query: PageQuery): Promise<Result<{ items: Page[]; next: string | null; total: number }, 'forbidden'>> {
      if (!actor.can('pages:read')) return fail('forbidden')
      const { origin } = await views.of(actor)
      const after = readCursor(query.cursor)
      const { items, total } = await listPages(db, {
        siteId: actor.siteId,
        paths: query.path === undefined ? undefined : spellingsOf(query.path),
        search: query.search,
        state: query.state,
        after: typeof after === 'string' ? after : undefined,
        limit: query.limit,
      })
      const last = items[items.length - 1]
      return ok({
        items: items.map((page) => shown(page, origin)),
        next: items.length === query.limit && last !== undefined ? cursorOf(last.path) : null,
        total,
      })
    },

    /** The draft as text, ready to be edited. */
    async source(actor: Actor, id: string): Promise<Result<PageSource, 'forbidden' | 'not-found'>> {
      if (!actor.can('pages:read')) return fail('forbidden')
      const page = await findPage(db, actor.siteId, id)
      if (page === null) return fail('not-found')
      const { origin } = await views.of(actor)
      return ok({ ...shown(page, origin), source: (await sourceOf(page)).text })
    },

    /**
     * Puts patch sets on top of a version of the draft. Bytes outside the patches stay.
     * A newer version refuses with "moved-on" and the source as it now is, so that a person sees both.
     */
    async change(
      actor: Actor,
      id: string,
      change: PageChange,
    ): Promise<Result<Page, 'forbidden' | 'not-found' | 'moved-on' | 'patches-unfit' | 'encoding-unpatchable'>> {
      if (!actor.can('pages:edit')) return fail('forbidden')
      const page = await findPage(db, actor.siteId, id)
      if (page === null) return fail('not-found')
      const { origin } = await views.of(actor)
      const movedOn = async () => {
        const current = await findPage(db, actor.siteId, id)
        return current === null
          ? fail('not-found')
          : fail('moved-on', { current: { ...shown(current, origin), source: (await sourceOf(current)).text } })
      }
      if (page.version !== change.version) return movedOn()
      const draft = await sourceOf(page)
      let bytes: Uint8Array = draft.bytes
      let text = draft.text
      for (const patches of change.patchSets) {
        if (!isApplicable(patches, text.length)) return fail('patches-unfit')
        const patched = patchBytes(bytes, page.encoding, text, patches)
        if (!patched.ok) return patched
        bytes = patched.value
        text = applyPatches(text, patches)
        if (decodeSource(bytes, page.encoding) !== text) return fail('encoding-unpatchable', { encoding: page.encoding })
      }
      const content = newContent(bytes, page.title, page.encoding)
      const saved = await write(db, async (transaction) => {
        const version = await updateDraft(db, { pageId: id, version: change.version, content, personId: actor.personId }, transaction)
        if (version === null) return fail('moved-on')
        await writeAudit(db, actor, 'pages:edit', id, { version, patches: change.patchSets.flat().length }, transaction)
        return ok(version)
      })
      if (!saved.ok) return movedOn()
      const now = await findPage(db, actor.siteId, id)
      return now === null ? fail('not-found') : ok(shown(now, origin))
    },
  }
}

/** People name a page with and without its closing slash, or by its index file. */
function spellingsOf(path: string): string[] {
  const bare = path.replace(/\/index\.html?$/i, '/').replace(/(.)\/$/, '$1')
  return [...new Set([path, bare, bare === '/' ? '/' : `${bare}/`])]
}
