import { randomUUID } from 'node:crypto'
import { z } from 'zod'
import {
  NAMED_MAX,
  type RedirectChange,
  type RedirectNew,
  type RedirectQuery,
  type RedirectRow,
  type RedirectWhen,
} from '../contract/redirects.ts'
import { parseUrl } from '../core/address/index.ts'
import { fail, ok, type Result } from '../core/result.ts'
import {
  leadsOn,
  plainPath,
  type Redirect,
  type RedirectConditions,
  type RedirectFault,
  readyRedirect,
  redirectKey,
  TOLERANCE,
} from '../core/routing/index.ts'
import type { SiteGround } from '../core/rules/index.ts'
import {
  insertRedirect,
  type ListedRedirect,
  listRedirects,
  type RedirectFields,
  setRedirectRemoved,
  updateRedirect,
} from '../data/redirects.ts'
import { type Actor, type Context, cursorOf, readCursor, type SiteViews, write, writeAudit } from './context.ts'
import { redirectBench } from './redirect-bench.ts'

/** The row that a page of the list ended with. */
const ListCursor = z.object({ place: z.number(), id: z.uuid() })

/** What of a row a person chooses. */
type Wanted = Omit<RedirectFields, 'key'>
type Fault = RedirectFault | 'forbidden' | 'not-found' | 'moved-on' | 'unknown-host' | 'redirect-to-itself' | 'time-passed'

const toMs = (time: string | undefined): number | undefined => (time === undefined ? undefined : Date.parse(time))
/** What of it is there: a property that is undefined must not hide one that it is put over. */
const defined = <T extends object>(given: T) =>
  Object.fromEntries(Object.entries(given).filter(([, value]) => value !== undefined)) as { [K in keyof T]?: Exclude<T[K], undefined> }

const conditionsOf = ({ query, languages, devices, from, until }: RedirectWhen): RedirectConditions =>
  defined({ query, languages, devices, fromMs: toMs(from), untilMs: toMs(until) })

const shownWhen = ({ query, languages, devices, fromMs, untilMs }: RedirectConditions): RedirectWhen =>
  defined({
    query: query?.map((each) => ({ ...each })),
    languages: languages === undefined ? undefined : [...languages],
    devices: devices === undefined ? undefined : [...devices],
    from: fromMs === undefined ? undefined : new Date(fromMs).toISOString(),
    until: untilMs === undefined ? undefined : new Date(untilMs).toISOString(),
  })

const shown = ({ place: _, hosts, when, createdAt, ...row }: ListedRedirect): RedirectRow => ({
  ...row,
  hosts: [...hosts],
  when: shownWhen(when),
  createdAt: new Date(createdAt).toISOString(),
})

export function redirectsService(context: Context, views: SiteViews) {
  const { db } = context
  const one = async (siteId: string, id: string): Promise<ListedRedirect | null> =>
    (await listRedirects(db, { siteId, id, limit: 1 })).items[0] ?? null

  return {
    /** The table in its order, a stretch at a time. */
    async list(
      actor: Actor,
      { search, cursor, limit }: RedirectQuery,
    ): Promise<Result<{ items: RedirectRow[]; next: string | null; total: number }, 'forbidden'>> {
      if (!actor.can('redirects:read')) return fail('forbidden')
      const found = await listRedirects(db, { siteId: actor.siteId, search, after: readCursor(cursor, ListCursor), limit })
      const last = found.items[found.items.length - 1]
      const next = found.items.length === limit && last !== undefined ? cursorOf({ place: last.place, id: last.id }) : null
      return ok({ items: found.items.map(shown), next, total: found.total })
    },

    async get(actor: Actor, id: string): Promise<Result<RedirectRow, 'forbidden' | 'not-found'>> {
      if (!actor.can('redirects:read')) return fail('forbidden')
      const row = await one(actor.siteId, id)
      return row === null ? fail('not-found') : ok(shown(row))
    },

    bench: redirectBench(context, views),

    /** Adds a row at the end of the table. Visitors are answered by it within seconds. */
    async create(actor: Actor, { host, ...wanted }: RedirectNew): Promise<Result<RedirectRow, Fault>> {
      if (!actor.can('redirects:edit')) return fail('forbidden')
      const hosts = wanted.hosts ?? (host === undefined || host === '' ? [] : [host])
      const fields = fieldsOf(await views.of(actor), {
        match: 'exact',
        to: '',
        status: 301,
        query: 'pass',
        beatsPages: false,
        note: '',
        isOn: true,
        ...defined(wanted),
        from: wanted.from,
        hosts,
        when: conditionsOf(wanted.when ?? {}),
      })
      if (!fields.ok) return fields
      const id = randomUUID()
      await write(db, async (transaction, changes) => {
        await insertRedirect(db, { siteId: actor.siteId, id, personId: actor.personId }, fields.value, transaction)
        changes.add(actor.siteId, 'redirects', id, 'made')
        await writeAudit(db, actor, 'redirects:create', id, { from: fields.value.from, to: fields.value.to }, transaction)
        return ok(null)
      })
      return now(actor, id)
    },

    /** Changes a row; what it was is in its history. */
    async change(actor: Actor, id: string, { version, when, ...change }: RedirectChange): Promise<Result<RedirectRow, Fault>> {
      if (!actor.can('redirects:edit')) return fail('forbidden')
      const before = await one(actor.siteId, id)
      if (before === null) return fail('not-found')
      const fields = fieldsOf(await views.of(actor), {
        ...before,
        ...defined(change),
        when: when === undefined ? before.when : conditionsOf(when),
      })
      if (!fields.ok) return fields
      const saved = await write(db, async (transaction, changes) => {
        const { siteId, personId } = actor
        if (!(await updateRedirect(db, { siteId, id, version, personId }, fields.value, transaction)))
          return fail('moved-on', { current: shown(before) })
        changes.add(siteId, 'redirects', id, 'changed')
        await writeAudit(db, actor, 'redirects:edit', id, { from: before.from, to: fields.value.to }, transaction)
        return ok(null)
      })
      return saved.ok ? now(actor, id) : saved
    },

    /** Takes a row away; its address then answers as if it had never been there, until it is put back. */
    async remove(actor: Actor, id: string): Promise<Result<null, 'forbidden' | 'not-found'>> {
      if (!actor.can('redirects:edit')) return fail('forbidden')
      return setRemoved(actor, id, true)
    },

    /** Brings a row back that was taken away, to its place in the table. */
    async putBack(actor: Actor, id: string): Promise<Result<RedirectRow, 'forbidden' | 'not-found'>> {
      if (!actor.can('redirects:edit')) return fail('forbidden')
      const back = await setRemoved(actor, id, false)
      return back.ok ? now(actor, id) : back
    },
  }

  async function now(actor: Actor, id: string): Promise<Result<RedirectRow, 'not-found'>> {
    const row = await one(actor.siteId, id)
    return row === null ? fail('not-found') : ok(shown(row))
  }

  function setRemoved(actor: Actor, id: string, isRemoved: boolean): Promise<Result<null, 'not-found'>> {
    return write(db, async (transaction, changes) => {
      const { siteId, personId } = actor
      if (!(await setRedirectRemoved(db, { siteId, id, personId, isRemoved }, transaction))) return fail('not-found')
      changes.add(siteId, 'redirects', id, isRemoved ? 'removed' : 'made')
      await writeAudit(db, actor, isRemoved ? 'redirects:delete' : 'redirects:put-back', id, {}, transaction)
      return ok(null)
    })
  }
}

/**
 * What a person asked for, as a row is kept: an address of the site's own as its path, with the host it names and the query as
 * a condition.
 */
function fieldsOf({ setup }: SiteGround, wanted: Wanted): Result<RedirectFields, Fault> {
  const own = new Set(setup.hosts.filter(({ kind }) => kind !== 'short').map(({ host }) => host))
  const isPath = wanted.match === 'exact' || wanted.match === 'under'
  const read = isPath ? readFrom(wanted.from.trim(), own) : ok({ path: wanted.from.trim(), host: null, query: [] })
  if (!read.ok) return read
  const { path, host, query } = read.value
  const hosts = [...new Set([...wanted.hosts, ...(host === null || wanted.hosts.length > 0 ? [] : [host])])]
  const stranger = hosts.find((each) => !own.has(each))
  if (stranger !== undefined) return fail('unknown-host', { host: stranger })
  const { fromMs, untilMs } = wanted.when
  if (fromMs !== undefined && untilMs !== undefined && untilMs <= fromMs)
    return fail('time-passed', { at: new Date(untilMs).toISOString() })
  const when = query.length === 0 ? wanted.when : { ...wanted.when, query: [...(wanted.when.query ?? []), ...query] }
  if ((when.query ?? []).length > NAMED_MAX)
    return fail('path-unreadable', { why: `a row can ask for ${NAMED_MAX} parameters, and this one asks for ${when.query?.length}` })
  const row: Redirect = {
    ...wanted,
    id: '',
    order: 0,
    from: path,
    hosts,
    when,
    to: leadsOn(wanted.status) ? wanted.to.trim() : '',
  }
  const ready = readyRedirect(row, TOLERANCE)
  if (!ready.ok) return ready
  const key = isPath ? redirectKey(row, TOLERANCE) : path
  // The shortest circle: longer ones are found by the review.
  if (
    row.match === 'exact' &&
    row.to.startsWith('/') &&
    redirectKey({ match: 'exact', from: row.to.replace(/[?#].*$/s, '') }, TOLERANCE) === key
  )
    return fail('redirect-to-itself', { from: path, to: row.to })
  return ok({ ...row, note: wanted.note.trim(), isOn: wanted.isOn, key })
}

interface ReadFrom {
  readonly path: string
  /** Null where none is named. */
  readonly host: string | null
  readonly query: readonly { readonly name: string; readonly value: string }[]
}

function readFrom(from: string, own: ReadonlySet<string>): Result<ReadFrom, 'path-unreadable' | 'unknown-host'> {
  const url = /^https?:\/\//i.test(from)
    ? parseUrl(from)
    : from.startsWith('/') && !from.startsWith('//')
      ? parseUrl(from, 'http://site.invalid')
      : null
  if (url === null) return fail('path-unreadable', { from })
  const host = url.hostname === 'site.invalid' ? null : url.hostname
  if (host !== null && !own.has(host)) return fail('unknown-host', { host })
  return ok({ path: plainPath(url.pathname), host, query: [...url.searchParams].map(([name, value]) => ({ name, value })) })
}
