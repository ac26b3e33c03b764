import { menus as calls, type Menu, MenuBody, type MenuChange, type MenuNew } from '../contract/menus.ts'
import { mayAsk } from '../contract/operation.ts'
import { repair } from '../core/address/index.ts'
import { NO_NOTES } from '../core/content/index.ts'
import { decodeSource } from '../core/markup/index.ts'
import { EMPTY_MENU, isReadableMenu, menuLinks, readMenu } from '../core/menus/index.ts'
import { fail, ok, type Result } from '../core/result.ts'
import { getBlob } from '../data/contents.ts'
import { findPage, insertPage, type ListedPage, listPages } from '../data/pages.ts'
import { tell } from '../words/index.ts'
import { type Actor, type Context, type SiteViews, write, writeAudit } from './context.ts'
import { newContent, type pagesService, shownPageRow } from './pages/index.ts'

/** Menus shown of one site. */
const MENUS_MAX = 200

const bytesOf = (menu: object): Uint8Array => new TextEncoder().encode(JSON.stringify(menu))

export function menusService({ db }: Context, views: SiteViews, pages: ReturnType<typeof pagesService>) {
  const shown = async (actor: Actor, page: ListedPage): Promise<Menu> => {
    const { origin } = await views.of(actor)
    const bytes = await getBlob(db, page.draftHash)
    const text = bytes === null ? '' : decodeSource(bytes, 'utf-8')
    const menu = MenuBody.safeParse(readMenu(text))
    return {
      ...shownPageRow(page, origin),
      name: page.path.slice('menu:'.length),
      isBroken: !menu.success || !isReadableMenu(text),
      menu: menu.success ? menu.data : MenuBody.parse(EMPTY_MENU),
    }
  }
  const find = async (actor: Actor, id: string): Promise<ListedPage | null> => {
    const page = await findPage(db, actor.siteId, id)
    return page?.kind === 'menu' ? page : null
  }

  return {
    async list(actor: Actor): Promise<Result<{ items: Menu[] }, 'forbidden'>> {
      if (!mayAsk(actor, calls.list)) return fail('forbidden')
      const { items } = await listPages(db, { siteId: actor.siteId, kind: 'menu', limit: MENUS_MAX })
      return ok({ items: await Promise.all(items.map((page) => shown(actor, page))) })
    },

    async get(actor: Actor, id: string): Promise<Result<Menu, 'forbidden' | 'not-found'>> {
      if (!mayAsk(actor, calls.get)) return fail('forbidden')
      const page = await find(actor, id)
      return page === null ? fail('not-found') : ok(await shown(actor, page))
    },

    async create(actor: Actor, { name, title }: MenuNew): Promise<Result<Menu, 'forbidden' | 'not-found' | 'name-taken'>> {
      if (!mayAsk(actor, calls.create)) return fail('forbidden')
      const path = `menu:${name}`
      const content = newContent(bytesOf(EMPTY_MENU), title, { encoding: 'utf-8', kind: 'menu', path, notes: NO_NOTES })
      const made = await write(db, async (transaction, changes) => {
        const id = await insertPage(
          db,
          { siteId: actor.siteId, kind: 'menu', path, sourceName: '', content, personId: actor.personId },
          transaction,
        )
        if (id === null) return fail('name-taken', { name })
        changes.add(actor.siteId, 'pages', id, 'made')
        await writeAudit(db, actor, 'menus:create', id, { name }, transaction)
        return ok(id)
      })
      if (!made.ok) return made
      const page = await find(actor, made.value)
      return page === null ? fail('not-found') : ok(await shown(actor, page))
    },

    /** Puts a menu on top of a version. Every address in it must be one that readers can follow. */
    async change(actor: Actor, id: string, { version, menu }: MenuChange) {
      if (!mayAsk(actor, calls.change)) return fail('forbidden')
      const page = await find(actor, id)
      if (page === null) return fail('not-found')
      const before = await shown(actor, page)
      if (page.version !== version) return fail('moved-on', { current: before })
      if (before.isBroken) return fail('menu-broken')
      const view = await views.of(actor)
      for (const entry of menuLinks(menu.entries)) {
        const read = repair(entry.href, view.around('/'))
        if (!read.ok) return fail(read.fault, { ...read.detail, why: tell('menu.leads-nowhere', { label: entry.label, href: entry.href }) })
      }
      const saved = await pages.store(actor, page, bytesOf(menu), {
        encoding: 'utf-8',
        madeBy: 'edit',
        detail: { entries: menu.entries.length },
      })
      if (!saved.ok && saved.fault === 'moved-on') {
        const current = await find(actor, id)
        return current === null ? fail('not-found') : fail('moved-on', { current: await shown(actor, current) })
      }
      if (!saved.ok) return saved
      const now = await find(actor, id)
      return now === null ? fail('not-found') : ok(await shown(actor, now))
    },
  }
}
