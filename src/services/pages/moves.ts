import type { Page, PageMove } from '../../contract/pages.ts'
import { normalise, parseUrl, withoutIndex } from '../../core/address/index.ts'
import { nameForPath } from '../../core/content/index.ts'
import { moveInMenu } from '../../core/menus/index.ts'
import { fail, ok, type Result } from '../../core/result.ts'
import { TOLERANCE } from '../../core/routing/index.ts'
import { findPage, movePage } from '../../data/pages.ts'
import { inWords, tell } from '../../words/index.ts'
import { type Actor, type Context, type SiteViews, write, writeAudit } from '../context.ts'
import { leadOldAddress, type RedirectFieldFault } from '../redirects/index.ts'
import { type pagesService, shownPageRow } from './pages.ts'

type MoveFault = RedirectFieldFault | 'forbidden' | 'not-found' | 'moved-on' | 'path-taken' | 'path-unreadable' | 'page-links-relative'

/** A link or file that is named from where the page stands. */
const RELATIVE = /\s(?:href|src|action|poster)\s*=\s*["']?(?![/#"'\s>]|[a-z][a-z0-9+.-]*:)/i

const folderOf = (path: string): string => path.slice(0, path.lastIndexOf('/') + 1)

/** Pages that get another address. */
export function pageMovesService({ db }: Context, views: SiteViews, pages: ReturnType<typeof pagesService>) {
  return {
    /** Gives a page another address, at once for visitors too; its old one leads there from then on, and menus follow. */
    async move(actor: Actor, id: string, { version, path, leadsOld }: PageMove): Promise<Result<Page, MoveFault>> {
      if (!actor.can('pages:publish') || (leadsOld && !actor.can('redirects:edit'))) return fail('forbidden')
      const page = await findPage(db, actor.siteId, id)
      if (page === null || page.kind !== 'page') return fail('not-found')
      const view = await views.of(actor)
      const address = normalise(path.startsWith('/') ? path : `/${path}`, view.origin)
      const wanted = address === null || !address.startsWith(view.origin) ? null : withoutIndex(parseUrl(address)?.pathname ?? '/')
      if (wanted === null || /[?#]/.test(path)) return fail('path-unreadable', { path })
      if (wanted === page.path) return fail('redirect-to-itself', { from: path })
      const source = await pages.source(actor, id)
      if (!source.ok) return source
      if (folderOf(wanted) !== folderOf(page.path) && RELATIVE.test(source.value.source))
        return fail('page-links-relative', { why: tell('page.in-folder', { folder: folderOf(page.path) }) })
      const moved = await write(db, async (transaction, changes) => {
        const done = await movePage(
          db,
          { siteId: actor.siteId, id, version, path: wanted, sourceName: nameForPath(wanted), personId: actor.personId },
          transaction,
        )
        if (done === 'moved-on') return fail('moved-on')
        if (done === 'path-taken') return fail('path-taken', { path: wanted })
        changes.add(actor.siteId, 'pages', id, 'changed')
        if (page.liveHash !== null) changes.add(actor.siteId, 'pages', id, 'published')
        // Where capitals do not matter, an address that differs by them alone finds its page by itself.
        const { ignoresCase } = view.setup.tolerance ?? TOLERANCE
        if (leadsOld && !(ignoresCase && page.path.toLowerCase() === wanted.toLowerCase())) {
          const led = await leadOldAddress(
            db,
            actor,
            view,
            { from: page.path, to: wanted, note: inWords(tell('page.moved', { title: page.title })) },
            { transaction, changes },
          )
          if (!led.ok) return led
        }
        await writeAudit(db, actor, 'pages:move', id, { from: page.path, to: wanted, leadsOld }, transaction)
        return ok(null)
      })
      if (!moved.ok) return moved
      await pages.inMenus(actor, (menu) => moveInMenu(menu, page.path, wanted), wanted)
      const now = await findPage(db, actor.siteId, id)
      return now === null ? fail('not-found') : ok(shownPageRow(now, view.origin))
    },
  }
}
