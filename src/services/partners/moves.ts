import { randomUUID } from 'node:crypto'
import { mayAsk } from '../../contract/operation.ts'
import { partnerMoves as calls, type RepointAsked, type Repointed, type RepointUndone } from '../../contract/partner-moves.ts'
import { toldOf } from '../../contract/problems.ts'
import { type AddressFault, repair } from '../../core/address/index.ts'
import { decodeSource, type Patch, scanLinks, tagPatches } from '../../core/markup/index.ts'
import { readMenu } from '../../core/menus/index.ts'
import { PartnerLinks } from '../../core/partners/index.ts'
import { changeEntries, destinationOf } from '../../core/placements/index.ts'
import { fail, ok, type Result } from '../../core/result.ts'
import type { CompiledSite, SiteGround } from '../../core/rules/index.ts'
import { type Draft, readDrafts } from '../../data/drafts.ts'
import {
  insertPartnerMove,
  type MovedShortLink,
  redirectsTo,
  shortLinksById,
  shortLinksTo,
  takePartnerMove,
} from '../../data/partner-moves.ts'
import { findPartner, type PartnerRow } from '../../data/partners.ts'
import { updateShortLink } from '../../data/short-links.ts'
import { type Told, tell } from '../../words/index.ts'
import { BulkDrafts, type bulkChangesService, patchPage } from '../bulk-changes/index.ts'
import { type Actor, type Context, type SiteViews, write, writeAudit } from '../context.ts'
import type { placementsService } from '../placements/index.ts'
import type { redirectStepsService } from '../redirects/index.ts'

const SHOWN_MAX = 300
/** Of short links and of redirects, what one step can review. */
const MOVED_MAX = 2_000

type MoveFault = AddressFault | 'forbidden' | 'not-found' | 'moved-on' | 'nothing-to-change' | 'move-too-large'

interface Others {
  readonly placements: ReturnType<typeof placementsService>
  readonly bulkChanges: ReturnType<typeof bulkChangesService>
  readonly redirectSteps: ReturnType<typeof redirectStepsService>
}

/** Points everything that leads to a partner elsewhere: when its programme ends, or its template or the site's number changes. */
export function partnerMovesService({ db }: Context, views: SiteViews, { placements, bulkChanges, redirectSteps }: Others) {
  return {
    async make(actor: Actor, { partnerId, oldTemplate, oldAccount, to, dryRun }: RepointAsked): Promise<Result<Repointed, MoveFault>> {
      if (!mayAsk(actor, calls.make)) return fail('forbidden')
      const partner = await findPartner(db, actor.siteId, partnerId)
      if (partner === null) return fail('not-found')
      const view = await views.of(actor)
      let address: string | null = null
      if (to.do === 'lead to') {
        const mended = repair(to.address, view.around('/'))
        if (!mended.ok) return mended
        address = mended.value.address
      }
      const terms = termsOf(partner)
      const old = new PartnerLinks([{ ...terms, template: oldTemplate ?? partner.template, account: oldAccount ?? partner.account }])
      const now = new PartnerLinks([terms])
      /** Where an address is to lead; null where it stays. */
      const next = (from: string): string | null => {
        const apart = old.recognise(from)
        if (to.do === 'lead to') return (apart !== null || old.partnerOf(from) !== null) && from !== address ? address : null
        if (apart === null) return null
        if (to.do === 'plain') return apart.destination
        const built = now.linkTo({ ...terms, isEnded: false }, apart.destination, { sub: apart.sub })
        return built.ok && built.value.address !== from ? built.value.address : null
      }
      const hosts = hostsOf(partner, oldTemplate ?? partner.template)
      const items: Repointed['items'] = []
      const counts = { placements: 0, pages: 0 }
      const leading = await Promise.all([
        shortLinksTo(db, actor.siteId, hosts, MOVED_MAX + 1),
        redirectsTo(db, actor.siteId, hosts, MOVED_MAX + 1),
      ])
      if (leading.some(({ length }) => length > MOVED_MAX)) return fail('move-too-large')
      const links = leading[0].flatMap((link) => {
        const after = next(link.destination)
        return after === null ? [] : [{ link, after }]
      })
      const redirects = leading[1].flatMap((row) => {
        const after = next(row.to)
        return after === null ? [] : [{ row, after }]
      })
      const id = randomUUID()
      const wanted = await linksLeadingThere(actor, view, partner.id, hosts)
      const saved = await write(db, async (transaction, changes) => {
        const bulk = new BulkDrafts(db, actor, transaction)
        for await (const drafts of readDrafts(db, actor.siteId, [...wanted.keys()])) {
          const changed = await views.knowing(view, (site) =>
            drafts.flatMap((draft) => moved(site, draft, wanted.get(draft.page.id) ?? new Map(), next) ?? []),
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
        if (bulk.pages + links.length + redirects.length === 0) return fail('nothing-to-change')
        for (const { link, after } of links) {
          const isSaved = await updateShortLink(db, { ...versionOf(actor, link), destination: after }, transaction)
          if (!isSaved) return fail('moved-on', { why: tell('move.short-link-changed', { slug: link.slug }) })
        }
        changes.add(
          actor.siteId,
          'short-links',
          links.map(({ link }) => link.id),
          'changed',
        )
        const all = { placements: counts.placements, shortLinks: links.length, redirects: redirects.length }
        await writeAudit(db, actor, 'partners:move', partnerId, all, transaction)
        return ok(bulk.pages === 0 ? null : await bulk.close({ do: 'repoint' }, counts.placements, changes))
      })
      if (!saved.ok) return saved
      for (const { link, after } of links.slice(0, SHOWN_MAX))
        items.push({ where: tell('move.short-link', { slug: link.slug }), before: link.destination, after })
      for (const { row, after } of redirects.slice(0, SHOWN_MAX)) items.push({ where: row.from, before: row.to, after })
      const all = { ...counts, shortLinks: links.length, redirects: redirects.length }
      const more = Math.max(0, all.placements + all.shortLinks + all.redirects - items.length)
      if (dryRun) return ok({ id: null, ...all, items, more, left: [] })
      const step = redirects.length === 0 ? null : await moveRedirects(actor, partner, redirects)
      await insertPartnerMove(db, actor, partnerId, {
        ...{ id, bulkChangeId: saved.value, redirectStepId: step?.id ?? null },
        shortLinks: links.map(({ link, after }) => ({ id: link.id, before: link.destination, after })),
      })
      return ok({ id, ...all, items, more, left: step?.left ?? [] })
    },

    /** Takes a step back; what was changed since is left, and told. */
    async undo(actor: Actor, id: string): Promise<Result<RepointUndone, 'forbidden' | 'not-found' | 'moved-on'>> {
      if (!mayAsk(actor, calls.undo)) return fail('forbidden')
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
        await writeAudit(db, actor, 'partners:move-undo', id, { shortLinks: back.length }, transaction)
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
    },
  }

  /** By page, the numbers of the links that lead to a partner or through the host of its links, with where each leads. */
  async function linksLeadingThere(actor: Actor, view: SiteGround, partnerId: string, hosts: readonly string[]) {
    const list = await placements.listOf(actor.siteId, view)
    const wanted = new Map<string, Map<number, string>>()
    for (const facets of [{ partner: partnerId }, ...hosts.map((host) => ({ host }))])
      for (const i of list.ask({ facets }).found) {
        const judged = list.judgedAt(i)
        if (judged === null) continue
        const { page, ordinal } = judged.placement
        wanted.set(page.id, (wanted.get(page.id) ?? new Map<number, string>()).set(ordinal, destinationOf(judged)))
      }
    return wanted
  }

  async function moveRedirects(
    actor: Actor,
    { name }: PartnerRow,
    moving: readonly { row: { id: string; version: number; from: string }; after: string }[],
  ): Promise<{ id: string | null; left: Told[] }> {
    const done = await redirectSteps.create(actor, {
      what: tell('move.elsewhere', { partner: name.slice(0, 100) }),
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

const termsOf = ({ id, name, sites, template, account, allows, status }: PartnerRow) => ({
  ...{ id, name, sites, template, account, allows },
  isEnded: status === 'ended',
})

/** Hosts by which its links are looked for: its sites, and the one that they lead through. */
function hostsOf({ sites }: PartnerRow, template: string): string[] {
  const host = /^https?:\/\/([^/?#{:]+)/i.exec(template)?.[1]?.toLowerCase()
  return [...new Set([...sites, ...(host === undefined ? [] : [host])])]
}

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
