import { randomUUID } from 'node:crypto'
import { z } from 'zod'
import type { ShortLink, ShortLinkChange, ShortLinkNew, ShortLinkQuery, ShortLinkUses, SuggestAnswer } from '../contract/short-links.ts'
import { ShortLink as ShortLinkShape } from '../contract/short-links.ts'
import { type AddressFault, type RepairedAddress, repair } from '../core/address/index.ts'
import { fail, ok, type Result } from '../core/result.ts'
import { type CompiledSite, decide, factsOf, originOf, relTokens, type SiteSetup, strandOf } from '../core/rules/index.ts'
import { type SlugFault, slugFault, suggestSlugs } from '../core/slugs/index.ts'
import {
  type ListedShortLink,
  listShortLinks,
  pagesLeadingTo,
  returnShortLink,
  takenSlugs,
  takeSlug,
  withdrawShortLink,
} from '../data/short-links.ts'

import { type Actor, announce, type Context, cursorOf, readCursor, type SiteViews, write, writeAudit } from './context.ts'

/** The link that a page of the list ended with. */
const ListCursor = z.object({ at: z.iso.datetime(), id: z.uuid() })

type ShortLinkFault =
  | AddressFault
  | SlugFault
  | 'forbidden'
  | 'not-found'
  | 'moved-on'
  | 'slug-taken'
  | 'no-short-host'
  | 'address-not-outside'

/** Pages named that lead to a short link; the rest are counted. */
const USES_NAMED = 20

/** Where a short link is sent unless said otherwise: found, may change later (RFC 9110 §15.4.3). */
const DEFAULT_STATUS = 302

export function shortLinksService({ db, settings }: Context, views: SiteViews) {
  const { ShortLink, ShortLinkChange } = db.models
  const stemOf = ({ host, prefix }: { host: string; prefix: string }): string =>
    `${originOf(host, settings.port)}/${prefix === '' ? '' : `${prefix}/`}`
  /** With what a link to it is told of: a partner's short link is as paid as the partner's own address. */
  const shown = (row: ListedShortLink, view: CompiledSite): ShortLink => {
    const address = stemOf(row) + row.slug
    const facts = factsOf(
      { href: address, rel: null, target: null, byHand: '', tags: null, shows: 'text', baseHref: null, baseTarget: null },
      view.around('/'),
      () => row.destination,
    )
    return ShortLinkShape.parse({
      ...row,
      address,
      partner: view.setup.partners.find(({ id }) => id === facts.partner)?.name ?? null,
      strand: strandOf(relTokens(decide(view.rules, facts).rel)),
      createdAt: new Date(row.createdAt).toISOString(),
    })
  }
  const one = async (siteId: string, id: string): Promise<ShortLink | null> => {
    const [row] = (await listShortLinks(db, { siteId, id, limit: 1 })).items
    return row === undefined ? null : shown(row, await views.of({ siteId }))
  }

  return {
    async list(
      actor: Actor,
      query: ShortLinkQuery,
    ): Promise<Result<{ items: ShortLink[]; next: string | null; total: number }, 'forbidden'>> {
      if (!actor.can('short-links:read')) return fail('forbidden')
      const after = readCursor(query.cursor, ListCursor)
      const found = await listShortLinks(db, {
        siteId: actor.siteId,
        slug: query.slug?.toLowerCase(),
        search: query.search,
        after,
        limit: query.limit,
      })
      const last = found.items[found.items.length - 1]
      const next =
        found.items.length === query.limit && last !== undefined
          ? cursorOf({ at: new Date(last.createdAt).toISOString(), id: last.id })
          : null
      const view = await views.of(actor)
      return ok({ items: found.items.map((row) => shown(row, view)), next, total: found.total })
    },

    async get(actor: Actor, id: string): Promise<Result<ShortLink, 'forbidden' | 'not-found'>> {
      if (!actor.can('short-links:read')) return fail('forbidden')
      const found = await one(actor.siteId, id)
      return found === null ? fail('not-found') : ok(found)
    },

    /** Mends a pasted destination and suggests slugs that are free on the host. */
    async suggest(
      actor: Actor,
      { destination, title, host }: { destination: string; title?: string | undefined; host?: string | undefined },
    ): Promise<Result<SuggestAnswer, ShortLinkFault>> {
      if (!actor.can('short-links:read')) return fail('forbidden')
      const view = await views.of(actor)
      const short = shortHost(view, host)
      if (short === null) return fail('no-short-host', { host: host ?? null })
      const mended = mendDestination(view, destination)
      if (!mended.ok) return mended
      const taken = await takenSlugs(db, short.id)
      return ok({
        destination: mended.value.address,
        repairs: [...mended.value.repairs],
        offers: [...mended.value.offers],
        stem: stemOf(short),
        suggestions: [...suggestSlugs(mended.value.address, title ?? '', (slug) => taken.has(slug))],
      })
    },

    async create(actor: Actor, wanted: ShortLinkNew): Promise<Result<ShortLink, ShortLinkFault>> {
      if (!actor.can('short-links:edit')) return fail('forbidden')
      const view = await views.of(actor)
      const short = shortHost(view, wanted.host)
      if (short === null) return fail('no-short-host', { host: wanted.host ?? null })
      const mended = mendDestination(view, wanted.destination)
      if (!mended.ok) return mended
      const destination = mended.value.address
      const title = wanted.title ?? ''
      const slug =
        wanted.slug?.trim().toLowerCase() ||
        suggestSlugs(destination, title, (each) => view.shortLinks.find(short.host, each) !== null)[0]?.slug ||
        ''
      const fault = slugFault(slug)
      if (fault !== null) return fail(fault, { slug })
      const status = wanted.status ?? DEFAULT_STATUS
      const saved = await write(db, async (transaction) => {
        const id = randomUUID()
        await ShortLink.create(
          { id, siteId: actor.siteId, hostId: short.id, destination, title, status, createdAt: new Date() },
          { transaction },
        )
        if (!(await takeSlug(db, { hostId: short.id, slug, shortLinkId: id }, transaction)))
          return fail('slug-taken', { slug, leadsTo: view.findShortLink(short.host, slug) })
        await ShortLinkChange.create({ shortLinkId: id, version: 1, destination, title, status, personId: actor.personId }, { transaction })
        await announce(db, transaction)
        await writeAudit(db, actor, 'short-links:create', id, { slug, destination }, transaction)
        return ok(id)
      })
      if (!saved.ok) return saved
      const made = await one(actor.siteId, saved.value)
      return made === null ? fail('not-found') : ok(made)
    },

    /** Changes where a short link leads; its slug stays, and the old destination is in its history. */
    async change(actor: Actor, id: string, change: ShortLinkChange): Promise<Result<ShortLink, ShortLinkFault>> {
      if (!actor.can('short-links:edit')) return fail('forbidden')
      const view = await views.of(actor)
      const before = await one(actor.siteId, id)
      if (before === null) return fail('not-found')
      const mended = change.destination === undefined ? null : mendDestination(view, change.destination)
      if (mended !== null && !mended.ok) return mended
      const next = {
        destination: mended?.value.address ?? before.destination,
        title: change.title ?? before.title,
        status: change.status ?? before.status,
        version: change.version + 1,
      }
      const saved = await write(db, async (transaction) => {
        const [count] = await ShortLink.update(next, { where: { id, siteId: actor.siteId, version: change.version }, transaction })
        if (count === 0) return fail('moved-on', { current: before })
        await ShortLinkChange.create({ shortLinkId: id, ...next, personId: actor.personId }, { transaction })
        await announce(db, transaction)
        await writeAudit(db, actor, 'short-links:edit', id, { from: before.destination, to: next.destination }, transaction)
        return ok(null)
      })
      if (!saved.ok) return saved
      const now = await one(actor.siteId, id)
      return now === null ? fail('not-found') : ok(now)
    },

    /** The pages that lead to a short link: they break when it goes. */
    async uses(actor: Actor, id: string): Promise<Result<ShortLinkUses, 'forbidden' | 'not-found'>> {
      if (!actor.can('short-links:read') || !actor.can('pages:read')) return fail('forbidden')
      const link = await one(actor.siteId, id)
      if (link === null) return fail('not-found')
      const bare = link.address.replace(/^https?:/, '')
      return ok(await pagesLeadingTo(db, actor.siteId, [bare, `http:${bare}`, `https:${bare}`], USES_NAMED))
    },

    /** Brings a short link back that was taken away, with its slugs, its history and its clicks. */
    async putBack(actor: Actor, id: string): Promise<Result<ShortLink, 'forbidden' | 'not-found' | 'slug-taken'>> {
      if (!actor.can('short-links:edit')) return fail('forbidden')
      const saved = await write(db, async (transaction) => {
        const slugs = await returnShortLink(db, actor.siteId, id, transaction)
        if (slugs === null) return fail('not-found')
        const [main] = slugs
        if (main?.isTaken !== false) return fail('slug-taken', { slug: main?.slug ?? '' })
        await announce(db, transaction)
        await writeAudit(db, actor, 'short-links:put-back', id, { slug: main.slug }, transaction)
        return ok(null)
      })
      if (!saved.ok) return saved
      const now = await one(actor.siteId, id)
      return now === null ? fail('not-found') : ok(now)
    },

    /** Takes a short link away; its address then answers "not found", until it is put back. */
    async remove(actor: Actor, id: string): Promise<Result<null, ShortLinkFault>> {
      if (!actor.can('short-links:edit')) return fail('forbidden')
      const before = await one(actor.siteId, id)
      if (before === null) return fail('not-found')
      return write(db, async (transaction) => {
        if (!(await withdrawShortLink(db, actor.siteId, id, transaction))) return fail('not-found')
        await announce(db, transaction)
        await writeAudit(db, actor, 'short-links:delete', id, { slug: before.slug, destination: before.destination }, transaction)
        return ok(null)
      })
    },
  }
}

function shortHost(view: CompiledSite, wanted: string | undefined): SiteSetup['hosts'][number] | null {
  const name = wanted?.toLowerCase().replace(/:\d+$/, '')
  return view.setup.hosts.find(({ kind, host }) => kind === 'short' && (name === undefined || host === name)) ?? null
}

/** A destination is a full web address; one of our own pages gets its origin back. */
function mendDestination(view: CompiledSite, text: string): Result<RepairedAddress, AddressFault | 'address-not-outside'> {
  const mended = repair(text, view.around('/'))
  if (!mended.ok) return mended
  const { kind, address } = mended.value
  if (kind === 'inside page' || kind === 'file')
    return ok({ ...mended.value, address: view.origin + (address.startsWith('/') ? address : `/${address}`) })
  if (kind === 'short link') return fail('address-not-outside', { why: 'it leads to another short link; paste what that one leads to' })
  return kind === 'outside' || kind === 'partner' ? mended : fail('address-not-outside', { kind })
}
