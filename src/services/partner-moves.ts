import { randomUUID } from 'node:crypto'
import type { RepointAsked, Repointed, RepointUndone } from '../contract/partner-moves.ts'
import { type AddressFault, repair } from '../core/address/index.ts'
import { decodeSource, type Patch, patchBytes, scanLinks, tagPatches, writableIn } from '../core/markup/index.ts'
import { readMenu } from '../core/menus/index.ts'
import { PartnerLinks } from '../core/partners/index.ts'
import { changeEntries, destinationOf } from '../core/placements/index.ts'
import { fail, ok, type Result } from '../core/result.ts'
import type { CompiledSite, SiteGround } from '../core/rules/index.ts'
import { type BulkPage, insertBulkChange } from '../data/bulk-changes.ts'
import { type Draft, readDrafts, updateDrafts } from '../data/drafts.ts'
import {
  insertPartnerMove,
  type MovedShortLink,
  redirectsTo,
  shortLinksById,
  shortLinksTo,
  takePartnerMove,
} from '../data/partner-moves.ts'
import { findPartner, type PartnerRow } from '../data/partners.ts'
import { updateShortLink } from '../data/short-links.ts'
import type { bulkChangesService } from './bulk-changes.ts'
import { newContent } from './content.ts'
import { type Actor, type Context, type SiteViews, write, writeAudit } from './context.ts'
import type { placementsService } from './placements.ts'
import type { redirectStepsService } from './redirect-steps.ts'

const SHOWN_MAX = 300
/** Of either, what one step can review. */
const MOVED_MAX = 2_000

type MoveFault = AddressFault | 'forbidden' | 'not-found' | 'moved-on' | 'nothing-to-change'

interface Others {
  readonly placements: ReturnType<typeof placementsService>
  readonly bulkChanges: ReturnType<typeof bulkChangesService>
  readonly redirectSteps: ReturnType<typeof redirectStepsService>
}

/** Points everything that leads to a partner elsewhere: when its programme ends, or its template or the site's number changes. */
export function partnerMovesService({ db }: Context, views: SiteViews, { placements, bulkChanges, redirectSteps }: Others) {
  return {
    async make(actor: Actor, { partnerId, oldTemplate, oldAccount, to, dryRun }: RepointAsked): Promise<Result<Repointed, MoveFault>> {
      if (!(['partners:edit', 'pages:publish', 'short-links:edit', 'redirects:edit'] as const).every((each) => actor.can(each)))
        return fail('forbidden')
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
      const found: Found = { items: [], placements: 0, pages: 0, bulk: [] }
      const links = (await shortLinksTo(db, actor.siteId, hosts, MOVED_MAX)).flatMap((link) => {
        const after = next(link.destination)
        return after === null ? [] : [{ link, after }]
      })
      const redirects = (await redirectsTo(db, actor.siteId, hosts, MOVED_MAX)).flatMap((row) => {
        const after = next(row.to)
        return after === null ? [] : [{ row, after }]
      })
      const id = randomUUID()
      const bulkChangeId = await write(db, async (transaction, changes) => {
        for await (const drafts of await draftsLeadingThere(actor, view, partner.id, hosts)) {
          const changed = await views.knowing(view, (site) =>
            drafts.pages.flatMap((draft) => moved(site, draft, drafts.wanted.get(draft.page.id) ?? new Map(), next) ?? []),
          )
          if (changed.length === 0) continue
          for (const { page, items } of changed) {
            found.pages++
            found.placements += items.length
            for (const item of items.slice(0, SHOWN_MAX - found.items.length)) found.items.push({ where: page.path, ...item })
          }
          if (dryRun) continue
          const contents = changed.map(({ page, bytes }) => ({
            ...{ pageId: page.id, version: page.version },
            content: newContent(bytes, page.title, { encoding: page.encoding, kind: page.kind, path: page.path, notes: page }),
          }))
          const movedOn = await updateDrafts(db, contents, { personId: actor.personId, madeBy: 'bulk' }, transaction)
          if (movedOn !== null)
            return fail('moved-on', { why: `“${changed.find(({ page }) => page.id === movedOn)?.page.title}” was saved in the meantime.` })
          for (const [i, { page }] of changed.entries())
            found.bulk.push({
              pageId: page.id,
              beforeHash: page.draftHash,
              beforeEncoding: page.encoding,
              afterHash: contents[i]?.content.hash ?? '',
            })
        }
        if (dryRun) return ok(null)
        if (found.bulk.length + links.length + redirects.length === 0) return fail('nothing-to-change')
        for (const { link, after } of links) {
          const said = {
            siteId: actor.siteId,
            id: link.id,
            version: link.version,
            personId: actor.personId,
            title: link.title,
            status: link.status as 302,
          }
          if (!(await updateShortLink(db, { ...said, destination: after }, transaction)))
            return fail('moved-on', { why: `The short link “${link.slug}” was changed in the meantime.` })
        }
        changes.add(
          actor.siteId,
          'short-links',
          links.map(({ link }) => link.id),
          'changed',
        )
        await writeAudit(
          db,
          actor,
          'partners:move',
          partnerId,
          { placements: found.placements, shortLinks: links.length, redirects: redirects.length },
          transaction,
        )
        if (found.bulk.length === 0) return ok(null)
        const made = await insertBulkChange(
          db,
          { siteId: actor.siteId, change: { do: 'repoint' }, links: found.placements, personId: actor.personId, pages: found.bulk },
          transaction,
        )
        changes.add(
          actor.siteId,
          'pages',
          found.bulk.map(({ pageId }) => pageId),
          'changed',
        )
        changes.add(actor.siteId, 'bulk-changes', made, 'made')
        return ok(made)
      })
      if (!bulkChangeId.ok) return bulkChangeId
      for (const { link, after } of links.slice(0, SHOWN_MAX))
        found.items.push({ where: `short link ${link.slug}`, before: link.destination, after })
      for (const { row, after } of redirects.slice(0, SHOWN_MAX)) found.items.push({ where: row.from, before: row.to, after })
      const counts = { placements: found.placements, pages: found.pages, shortLinks: links.length, redirects: redirects.length }
      const more = Math.max(0, counts.placements + counts.shortLinks + counts.redirects - found.items.length)
      if (dryRun) return ok({ id: null, ...counts, items: found.items, more })
      const step = redirects.length === 0 ? null : await moveRedirects(actor, partner, redirects)
      await insertPartnerMove(db, actor.siteId, partnerId, {
        ...{ id, bulkChangeId: bulkChangeId.value, redirectStepId: step },
        shortLinks: links.map(({ link, after }) => ({ id: link.id, before: link.destination, after })),
      })
      return ok({ id, ...counts, items: found.items, more })
    },

    /** Takes a step back; what was changed since is left, and told. */
    async undo(actor: Actor, id: string): Promise<Result<RepointUndone, 'forbidden' | 'not-found' | 'moved-on'>> {
      if (!(['partners:edit', 'pages:publish', 'short-links:edit', 'redirects:edit'] as const).every((each) => actor.can(each)))
        return fail('forbidden')
      const left: string[] = []
      const taken = await write(db, async (transaction, changes) => {
        const move = await takePartnerMove(db, actor.siteId, id, transaction)
        if (move === null) return fail('not-found')
        const before = new Map(move.shortLinks.map((link) => [link.id, link]))
        const back: MovedShortLink[] = []
        for (const link of await shortLinksById(db, actor.siteId, [...before.keys()], transaction)) {
          const was = before.get(link.id)
          if (was === undefined || link.destination !== was.after) left.push(`A short link leads elsewhere since: ${link.destination}`)
          else back.push({ ...link, destination: was.before })
        }
        for (const link of back)
          await updateShortLink(db, { siteId: actor.siteId, personId: actor.personId, ...link, status: link.status as 302 }, transaction)
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
      if (move.redirectStepId !== null) await redirectSteps.undo(actor, move.redirectStepId)
      const pages = move.bulkChangeId === null ? null : await bulkChanges.undo(actor, move.bulkChangeId)
      if (pages?.ok === true) left.push(...pages.value.left.map(({ page, why }) => `${page}: ${why}`))
      return ok({ pages: pages?.ok === true ? pages.value.pages : 0, shortLinks, left })
    },
  }

  /** The drafts that hold links to a partner, some at a time, with the numbers of those links. */
  async function* draftsOf(actor: Actor, wanted: ReadonlyMap<string, Map<number, string>>) {
    for await (const pages of readDrafts(db, actor.siteId, [...wanted.keys()])) yield { pages, wanted }
  }

  async function draftsLeadingThere(actor: Actor, view: SiteGround, partnerId: string, hosts: readonly string[]) {
    const list = await placements.listOf(actor.siteId, view)
    const wanted = new Map<string, Map<number, string>>()
    for (const facets of [{ partner: partnerId }, ...hosts.map((host) => ({ host }))])
      for (const i of list.ask({ facets }).found) {
        const judged = list.judgedAt(i)
        if (judged === null) continue
        const { page, ordinal } = judged.placement
        wanted.set(page.id, (wanted.get(page.id) ?? new Map<number, string>()).set(ordinal, destinationOf(judged)))
      }
    return draftsOf(actor, wanted)
  }

  async function moveRedirects(
    actor: Actor,
    { name }: PartnerRow,
    moved: readonly { row: { id: string; version: number }; after: string }[],
  ): Promise<string | null> {
    const done = await redirectSteps.create(actor, {
      what: `Links to ${name.slice(0, 100)} point elsewhere`,
      items: moved.map(({ row: { id, version }, after }) => ({ do: 'change', id, change: { version, to: after } })),
    })
    return done.ok ? done.value.step : null
  }
}

interface Found {
  readonly items: { where: string; before: string; after: string }[]
  placements: number
  pages: number
  readonly bulk: BulkPage[]
}

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
    return items.length === 0 ? null : { page, bytes: new TextEncoder().encode(JSON.stringify(menu)), items }
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
  if (patches.length === 0) return null
  const patched = patchBytes(
    bytes,
    page.encoding,
    text,
    patches.map((patch) => ({ ...patch, insert: writableIn(patch.insert, page.encoding) })),
  )
  return patched.ok ? { page, bytes: patched.value, items } : null
}
