import { randomUUID } from 'node:crypto'
import type { Repointed, RepointUndone } from '../contract/partner-moves.ts'
import { toldOf } from '../contract/problems.ts'
import { decodeSource, type Patch, scanLinks, tagPatches } from '../core/markup/index.ts'
import { readMenu } from '../core/menus/index.ts'
import { changeEntries } from '../core/placements/index.ts'
import { fail, ok, type Result } from '../core/result.ts'
import type { CompiledSite, SiteGround } from '../core/rules/index.ts'
import { type Draft, readDrafts } from '../data/drafts.ts'
import { insertPartnerMove, type MovedShortLink, shortLinksById, takePartnerMove } from '../data/partner-moves.ts'
import { updateShortLink } from '../data/short-links.ts'
import { type Told, tell } from '../words/index.ts'
import { BulkDrafts, type bulkChangesService, patchPage } from './bulk-changes/index.ts'
import { type Actor, type Context, type SiteViews, write, writeAudit } from './context.ts'
import type { redirectStepsService } from './redirects/index.ts'

const SHOWN_MAX = 300

/** What is to lead elsewhere. */
export interface Repointing {
  /** The partner whose links they are; null where one address is led elsewhere. */
  readonly partnerId: string | null
  readonly mended: { readonly address: string; readonly to: string } | null
  /** By page, the numbers of its links, with where each leads. */
  readonly links: ReadonlyMap<string, ReadonlyMap<number, string>>
  readonly shortLinks: readonly { readonly link: MovedShortLink; readonly after: string }[]
  readonly redirects: readonly {
    readonly row: { readonly id: string; readonly version: number; readonly from: string; readonly to: string }
    readonly after: string
  }[]
  /** Where an address is to lead; null where it stays. */
  readonly next: (address: string) => string | null
  /** What the step of redirects is called. */
  readonly what: Told
  readonly audit: { readonly action: string; readonly subject: string | null }
}

interface Others {
  readonly bulkChanges: ReturnType<typeof bulkChangesService>
  readonly redirectSteps: ReturnType<typeof redirectStepsService>
}

/** Points links in pages, short links and redirects elsewhere, in one step that is taken back as one. */
export class Repoint {
  readonly #db: Context['db']
  readonly #views: SiteViews
  readonly #others: Others

  constructor({ db }: Context, views: SiteViews, others: Others) {
    this.#db = db
    this.#views = views
    this.#others = others
  }

  /** Does it, or only shows what it would change. */
  async make(
    actor: Actor,
    view: SiteGround,
    { partnerId, mended, links, shortLinks, redirects, next, what, audit }: Repointing,
    dryRun: boolean,
  ): Promise<Result<Repointed, 'moved-on' | 'nothing-to-change'>> {
    const db = this.#db
    const items: Repointed['items'] = []
    const counts = { placements: 0, pages: 0 }
    const saved = await write(db, async (transaction, changes) => {
      const bulk = new BulkDrafts(db, actor, transaction)
      for await (const drafts of readDrafts(db, actor.siteId, [...links.keys()])) {
        const changed = await this.#views.knowing(view, (site) =>
          drafts.flatMap((draft) => moved(site, draft, links.get(draft.page.id) ?? new Map(), next) ?? []),
        )
        for (const { page, links: there } of changed) {
          counts.pages++
          counts.placements += there.length
          for (const each of there.slice(0, SHOWN_MAX - items.length)) items.push({ where: page.path, ...each })
        }
        const put = dryRun ? ok(null) : await bulk.put(changed)
        if (!put.ok) return put
      }
      if (dryRun) return ok(null)
      if (bulk.pages + shortLinks.length + redirects.length === 0) return fail('nothing-to-change')
      for (const { link, after } of shortLinks) {
        const isSaved = await updateShortLink(db, { ...versionOf(actor, link), destination: after }, transaction)
        if (!isSaved) return fail('moved-on', { why: tell('move.short-link-changed', { slug: link.slug }) })
      }
      changes.add(
        actor.siteId,
        'short-links',
        shortLinks.map(({ link }) => link.id),
        'changed',
      )
      const all = { placements: counts.placements, shortLinks: shortLinks.length, redirects: redirects.length }
      await writeAudit(db, actor, audit.action, audit.subject, all, transaction)
      return ok(bulk.pages === 0 ? null : await bulk.close({ do: 'repoint' }, counts.placements, changes))
    })
    if (!saved.ok) return saved
    for (const { link, after } of shortLinks.slice(0, SHOWN_MAX))
      items.push({ where: tell('move.short-link', { slug: link.slug }), before: link.destination, after })
    for (const { row, after } of redirects.slice(0, SHOWN_MAX)) items.push({ where: row.from, before: row.to, after })
    const all = { ...counts, shortLinks: shortLinks.length, redirects: redirects.length }
    const more = Math.max(0, all.placements + all.shortLinks + all.redirects - items.length)
    if (dryRun) return ok({ id: null, ...all, items, more, left: [] })
    const step = redirects.length === 0 ? null : await this.#moveRedirects(actor, what, redirects)
    const id = randomUUID()
    await insertPartnerMove(db, actor, partnerId, {
      ...{ id, mended, bulkChangeId: saved.value, redirectStepId: step?.id ?? null },
      shortLinks: shortLinks.map(({ link, after }) => ({ id: link.id, before: link.destination, after })),
    })
    return ok({ id, ...all, items, more, left: step?.left ?? [] })
  }

  /** Takes a step back; what was changed since is left, and told. */
  async undo(actor: Actor, id: string, action: string): Promise<Result<RepointUndone, 'not-found'>> {
    const db = this.#db
    const { bulkChanges, redirectSteps } = this.#others
    const left: Told[] = []
    const taken = await write(db, async (transaction, changes) => {
      const move = await takePartnerMove(db, actor.siteId, id, transaction)
      if (move === null) return fail('not-found')
      const before = new Map(move.shortLinks.map((link) => [link.id, link]))
      const back: MovedShortLink[] = []
      for (const link of await shortLinksById(db, actor.siteId, [...before.keys()], transaction)) {
        const was = before.get(link.id)
        if (was === undefined || link.destination !== was.after)
          left.push(tell('move.short-link-leads-elsewhere', { destination: link.destination }))
        else back.push({ ...link, destination: was.before })
      }
      for (const link of back) await updateShortLink(db, versionOf(actor, link), transaction)
      changes.add(
        actor.siteId,
        'short-links',
        back.map((link) => link.id),
        'changed',
      )
      await writeAudit(db, actor, action, id, { shortLinks: back.length }, transaction)
      return ok({ move, shortLinks: back.length })
    })
    if (!taken.ok) return taken
    const { move, shortLinks } = taken.value
    const by = { siteId: actor.siteId, personId: actor.personId, stepId: randomUUID() }
    const redirects = move.redirectStepId === null ? null : await redirectSteps.undoNext(by, move.redirectStepId, null)
    const changedSince = (redirects?.rows ?? 0) - (redirects?.given ?? 0)
    if (changedSince > 0) left.push(tell('move.redirects-changed', { count: changedSince }))
    const pages = move.bulkChangeId === null ? null : await bulkChanges.undo(actor, move.bulkChangeId)
    if (pages?.ok === false) left.push(tell('move.pages-stay', { why: toldOf(pages.fault, pages.detail) }))
    if (pages?.ok === true) left.push(...pages.value.left.map(({ page, why }) => tell('move.left-at', { where: page, why })))
    return ok({ pages: pages?.ok === true ? pages.value.pages : 0, shortLinks, redirects: redirects?.given ?? 0, left })
  }

  async #moveRedirects(actor: Actor, what: Told, moving: Repointing['redirects']): Promise<{ id: string | null; left: Told[] }> {
    const done = await this.#others.redirectSteps.create(actor, {
      what,
      items: moving.map(({ row: { id, version }, after }) => ({ do: 'change', id, change: { version, to: after } })),
    })
    if (!done.ok) return { id: null, left: [tell('move.redirects-stay', { why: toldOf(done.fault, done.detail) })] }
    return {
      id: done.value.step,
      left: done.value.refused.map(({ index, reason }) => tell('move.left-at', { where: moving[index]?.row.from ?? '', why: reason })),
    }
  }
}

/** A short link as it is written on top of its version. */
const versionOf = ({ siteId, personId }: Actor, { id, version, destination, title, status }: MovedShortLink) => ({
  ...{ siteId, personId, id, version, destination, title, status },
})

/** A page with its links pointed elsewhere; null where none is. */
function moved(site: CompiledSite, { page, bytes }: Draft, wanted: ReadonlyMap<number, string>, next: (address: string) => string | null) {
  const text = decodeSource(bytes, page.encoding)
  const items: { before: string; after: string }[] = []
  if (page.kind === 'menu') {
    let menu = readMenu(text)
    for (const [ordinal, address] of wanted) {
      const after = next(address)
      if (after === null) continue
      menu = changeEntries(menu, new Set([ordinal]), { do: 'lead to', address: after }, { site, titleOf: () => null }).menu
      items.push({ before: address, after })
    }
    return items.length === 0 ? null : { page, bytes: new TextEncoder().encode(JSON.stringify(menu)), links: items }
  }
  const { links } = scanLinks(text)
  const patches: Patch[] = []
  for (const ordinal of [...wanted.keys()].sort((a, b) => a - b)) {
    const link = links[ordinal]
    const after = link === undefined ? null : next(link.href)
    if (link === undefined || after === null) continue
    patches.push(...tagPatches(text, link, { href: after }))
    items.push({ before: link.href, after })
  }
  const patched = patches.length === 0 ? null : patchPage(page, bytes, text, patches)
  return patched === null ? null : { page, bytes: patched, links: items }
}
