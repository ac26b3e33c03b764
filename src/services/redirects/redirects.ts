import { randomUUID } from 'node:crypto'
import { z } from 'zod'
import { mayAsk } from '../../contract/operation.ts'
import {
  type BenchRequest,
  redirects as calls,
  type RedirectChange,
  type RedirectFacets,
  type RedirectHistory,
  type RedirectList,
  type RedirectNew,
  type RedirectQuery,
  type RedirectRow,
} from '../../contract/redirects.ts'
import type { RedirectDraft } from '../../core/exchange/index.ts'
import { fail, ok, type Result } from '../../core/result.ts'
import type { Transaction } from '../../data/database.ts'
import { insertRedirects, putBackRedirects, redirectRevisions, removeRedirects, updateRedirects } from '../../data/redirect-steps.ts'
import {
  keptRedirects,
  type ListedRedirect,
  listRedirects,
  type RedirectFields,
  redirectFacets,
  redirectsById,
} from '../../data/redirects.ts'
import { tell } from '../../words/index.ts'
import { conditionsOf, defined, shownWhen } from '../conditions.ts'
import { type Actor, type Context, cursorOf, readCursor, type SiteViews, write, writeAudit } from '../context.ts'
import { shortLinkOver } from '../short-links/index.ts'
import { redirectBench } from './bench.ts'
import { RedirectChains } from './chains.ts'
import { fieldsOf, PLAIN_REDIRECT, type RedirectFieldFault } from './fields.ts'
import { RedirectLimits } from './limits.ts'
import { redirectOutcome } from './outcome.ts'

/** The row that a page of the list ended with. */
const ListCursor = z.object({ value: z.union([z.number(), z.string()]), id: z.uuid() })
/** Versions of a row that its history tells. */
const REVISIONS_MAX = 100

type Fault =
  | RedirectFieldFault
  | 'forbidden'
  | 'not-found'
  | 'moved-on'
  | 'redirect-goes-round'
  | 'redirect-hides-page'
  | 'redirect-under-slug'
  | 'redirects-too-many'

const wordsIn = (facet: string | undefined): string[] => (facet ?? '').split(',').filter((word) => word !== '')

export const shownRedirect = ({
  place: _,
  value: __,
  hosts,
  when,
  createdAt,
  ...row
}: ListedRedirect & { readonly value?: unknown }): RedirectRow => ({
  ...row,
  hosts: [...hosts],
  when: shownWhen(when),
  createdAt: new Date(createdAt).toISOString(),
})

export function redirectsService(context: Context, views: SiteViews) {
  const { db } = context
  const one = async (siteId: string, id: string): Promise<ListedRedirect | null> =>
    (await listRedirects(db, { siteId, id, limit: 1 })).items[0] ?? null

  const bench = redirectBench(context, views)

  return {
    /** The table in its order, or another, a stretch at a time. */
    async list(
      actor: Actor,
      { search, cursor, limit, sort = 'table', ...facets }: RedirectQuery,
    ): Promise<Result<RedirectList, 'forbidden'>> {
      if (!mayAsk(actor, calls.list)) return fail('forbidden')
      const { siteId } = actor
      const after = readCursor(cursor, ListCursor)
      const found = await listRedirects(db, {
        siteId,
        search,
        statuses: wordsIn(facets.status).map(Number).filter(Number.isInteger),
        matches: wordsIn(facets.match),
        hosts: wordsIn(facets.host),
        states: wordsIn(facets.state),
        order: sort,
        after,
        limit,
      })
      const last = found.items[found.items.length - 1]
      const next = found.items.length === limit && last !== undefined ? cursorOf({ value: last.value, id: last.id }) : null
      return ok({
        items: found.items.map(shownRedirect),
        next,
        total: found.total,
      })
    },

    /** How many rows there are of each kind; not asked for again with every look at the hits. */
    async facets(actor: Actor): Promise<Result<RedirectFacets, 'forbidden'>> {
      if (!mayAsk(actor, calls.facets)) return fail('forbidden')
      return ok({ facets: await redirectFacets(db, actor.siteId) })
    },

    async get(actor: Actor, id: string): Promise<Result<RedirectRow, 'forbidden' | 'not-found'>> {
      if (!mayAsk(actor, calls.get)) return fail('forbidden')
      const row = await one(actor.siteId, id)
      return row === null ? fail('not-found') : ok(shownRedirect(row))
    },

    bench: (actor: Actor, request: BenchRequest) => bench(actor, request),
    outcome: redirectOutcome(context, views, bench),

    /** Adds a row at the end of the table. Visitors are answered by it within seconds. */
    async create(actor: Actor, { host, evenSo, ...wanted }: RedirectNew): Promise<Result<RedirectRow, Fault>> {
      if (!mayAsk(actor, calls.create)) return fail('forbidden')
      const hosts = wanted.hosts ?? (host === undefined || host === '' ? [] : [host])
      const fields = fieldsOf(await views.of(actor), {
        ...PLAIN_REDIRECT,
        ...defined(wanted),
        from: wanted.from,
        hosts,
        when: conditionsOf(wanted.when ?? {}),
      })
      if (!fields.ok) return fields
      const id = randomUUID()
      const { siteId, personId } = actor
      const saved = await write(db, async (transaction, changes) => {
        const fault = await wayFault(actor, { id, row: fields.value, evenSo }, transaction)
        if (fault !== null) return fault
        await insertRedirects(db, { siteId, personId, stepId: null }, [{ id, row: fields.value }], transaction)
        changes.add(siteId, 'redirects', id, 'made')
        await writeAudit(db, actor, 'redirects:create', id, { from: fields.value.from, to: fields.value.to }, transaction)
        return ok(null)
      })
      return saved.ok ? now(actor, id) : saved
    },

    /** Changes a row; what it was is in its history. */
    async change(actor: Actor, id: string, { version, when, evenSo, ...change }: RedirectChange): Promise<Result<RedirectRow, Fault>> {
      if (!mayAsk(actor, calls.change)) return fail('forbidden')
      const before = await one(actor.siteId, id)
      if (before === null) return fail('not-found')
      return save(
        actor,
        id,
        version,
        before,
        { ...before, ...defined(change), when: when === undefined ? before.when : conditionsOf(when) },
        evenSo,
      )
    },

    /** What a row has said until now, newest first. */
    async history(actor: Actor, id: string): Promise<Result<RedirectHistory, 'forbidden'>> {
      if (!mayAsk(actor, calls.history)) return fail('forbidden')
      const found = await redirectRevisions(db, actor.siteId, id, { limit: REVISIONS_MAX })
      return ok({ items: found.map(({ fields: _, ...each }) => ({ ...each, at: each.at.toISOString() })) })
    },

    /** Makes a row say again what it said as of a version, as its newest one. */
    async restore(actor: Actor, id: string, { version, of }: { version: number; of: number }): Promise<Result<RedirectRow, Fault>> {
      if (!mayAsk(actor, calls.restore)) return fail('forbidden')
      const before = await one(actor.siteId, id)
      const [then] = await redirectRevisions(db, actor.siteId, id, { limit: 1, version: of })
      if (before === null || then === undefined) return fail('not-found')
      return save(actor, id, version, before, then.fields, true)
    },

    /** Takes a row away; its address then answers as if it had never been there, until it is put back. */
    async remove(actor: Actor, id: string): Promise<Result<null, 'forbidden' | 'not-found'>> {
      if (!mayAsk(actor, calls.remove)) return fail('forbidden')
      return setRemoved(actor, id, true)
    },

    /** Brings a row back that was taken away, to its place in the table. */
    async putBack(actor: Actor, id: string): Promise<Result<RedirectRow, 'forbidden' | 'not-found'>> {
      if (!mayAsk(actor, calls.putBack)) return fail('forbidden')
      const back = await setRemoved(actor, id, false)
      return back.ok ? now(actor, id) : back
    },
  }

  async function now(actor: Actor, id: string): Promise<Result<RedirectRow, 'not-found'>> {
    const row = await one(actor.siteId, id)
    return row === null ? fail('not-found') : ok(shownRedirect(row))
  }

  /** Writes a row on top of a version. */
  async function save(
    actor: Actor,
    id: string,
    version: number,
    before: ListedRedirect,
    wanted: RedirectDraft,
    evenSo: boolean | undefined,
  ): Promise<Result<RedirectRow, Fault>> {
    const fields = fieldsOf(await views.of(actor), wanted)
    if (!fields.ok) return fields
    const { siteId, personId } = actor
    const saved = await write(db, async (transaction, changes) => {
      const fault = await wayFault(actor, { id, row: fields.value, evenSo }, transaction)
      if (fault !== null) return fault
      if ((await updateRedirects(db, { siteId, personId, stepId: null }, [{ id, version, row: fields.value }], transaction)).size === 0)
        return fail('moved-on', { current: shownRedirect((await one(siteId, id)) ?? before) })
      changes.add(siteId, 'redirects', id, 'changed')
      await writeAudit(db, actor, 'redirects:edit', id, { from: before.from, to: fields.value.to }, transaction)
      return ok(null)
    })
    return saved.ok ? now(actor, id) : saved
  }

  /** Why visitors would be worse off with a row: they would wait for too many, go round in a circle, or no longer find a page. */
  async function wayFault(
    actor: Actor,
    { id, row, evenSo = false }: { id: string; row: RedirectFields; evenSo: boolean | undefined },
    transaction: Transaction,
  ) {
    const kept = await keptRedirects(db, actor.siteId, [row], transaction)
    const leaving = await redirectsById(db, actor.siteId, [id], transaction)
    const room = await RedirectLimits.of(
      db,
      actor.siteId,
      { fresh: [row], kept: kept.filter((each) => each.id !== id), leaving },
      transaction,
    )
    const full = room.take(row)
    if (full !== null) return fail('redirects-too-many', { why: full })
    if (!row.isOn) return null
    const view = await views.of(actor)
    const slug = row.match === 'exact' ? await shortLinkOver(db, view, row) : null
    if (slug !== null)
      return fail('redirect-under-slug', { path: row.from, why: tell('redirect.short-link-there', { destination: slug.destination }) })
    const ways = new RedirectChains(db, view, context.settings.port)
    const asked = { ...row, id, order: Number.MAX_SAFE_INTEGER }
    ways.put(asked)
    const way = (await ways.follow([asked], transaction)).get(id)
    if (way?.end === 'loop')
      return fail('redirect-goes-round', { stops: way.stops, why: tell('redirect.goes', { stops: way.stops.join(' → ') }) })
    if (!row.beatsPages || row.match !== 'exact' || evenSo) return null
    await ways.know([asked], transaction)
    return ways.hasPage(row.from) ? fail('redirect-hides-page', { path: row.from, why: tell('redirect.unseen', { from: row.from }) }) : null
  }

  function setRemoved(actor: Actor, id: string, isRemoved: boolean): Promise<Result<null, 'not-found'>> {
    return write(db, async (transaction, changes) => {
      const { siteId, personId } = actor
      const by = { siteId, personId, stepId: null }
      if ((await (isRemoved ? removeRedirects : putBackRedirects)(db, by, [id], transaction)).size === 0) return fail('not-found')
      changes.add(siteId, 'redirects', id, isRemoved ? 'removed' : 'made')
      await writeAudit(db, actor, isRemoved ? 'redirects:delete' : 'redirects:put-back', id, {}, transaction)
      return ok(null)
    })
  }
}
