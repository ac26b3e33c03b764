import type { BenchAnswer, BenchRequest, ConsideredRow } from '../contract/redirects.ts'
import { normalise, parseUrl, pathSpellings } from '../core/address/index.ts'
import { fail, ok, type Result } from '../core/result.ts'
import {
  type Asked,
  type Considered,
  compileShortLink,
  considerRedirects,
  matchShortLink,
  pathKey,
  plainPath,
  type RedirectMatch,
  RedirectTable,
  stemsOf,
  TOLERANCE,
} from '../core/routing/index.ts'
import { originOf } from '../core/rules/index.ts'
import { inTransaction, type Transaction } from '../data/database.ts'
import { askedRedirects, type DeliveredRedirect, isLiveAt, redirectGroups, redirectsAt } from '../data/redirects.ts'
import { destinationsOf } from '../data/short-link-slugs.ts'
import type { Actor, Context, SiteViews } from './context.ts'

/** Browsers stop at 20 (Fetch, "HTTP-redirect fetch"); whoever is sent on more often than this has long been lost. */
const STOPS_MAX = 10

const told = ({ row: { id, match, from, to, status }, why }: Considered): ConsideredRow => ({ id, match, from, to, status, why })

/**
 * How an address is answered: now, or by the table as it stood on a past day. Rows are read from the database, those that the
 * address brings up and those that have to be asked.
 */
export function redirectBench({ db, settings }: Context, views: SiteViews) {
  return async (
    actor: Actor,
    { address, language, device, at }: BenchRequest,
  ): Promise<Result<BenchAnswer, 'forbidden' | 'address-unreadable' | 'unknown-host'>> => {
    if (!actor.can('redirects:read') || !actor.can('pages:read') || !actor.can('short-links:read')) return fail('forbidden')
    const view = await views.of(actor)
    const { siteId } = actor
    const hosts = new Map(view.setup.hosts.map((host) => [host.host, host]))
    const start = parseUrl(address.trim(), `${view.origin}/`)
    if (start === null || !/^https?:$/.test(start.protocol)) return fail('address-unreadable', { typed: address })
    if (!hosts.has(start.hostname)) return fail('unknown-host', { host: start.hostname })
    const nowMs = at === undefined ? Date.now() : Date.parse(at)

    const consider = async (url: URL, transaction: Transaction): Promise<{ considered: readonly Considered[]; isPage: boolean }> => {
      const path = plainPath(url.pathname)
      const asked: Asked = {
        host: url.hostname,
        origin: originOf(url.hostname, settings.port),
        isDoor: hosts.get(url.hostname)?.kind === 'door',
        path,
        query: url.search.slice(1),
        language: language ?? null,
        device: device ?? 'computer',
        nowMs,
      }
      const key = pathKey(path, TOLERANCE)
      const keys: { match: RedirectMatch; key: string }[] = [
        { match: 'exact', key },
        ...stemsOf(key).map((stem) => ({ match: 'under' as const, key: stem })),
      ]
      const rows: readonly DeliveredRedirect[] =
        at === undefined
          ? [
              ...(await redirectGroups(db, siteId, keys, transaction)).flatMap((group) => group.rows),
              ...(await askedRedirects(db, siteId, transaction)),
            ]
          : await redirectsAt(db, siteId, new Date(at), keys, transaction)
      const table = new RedirectTable(TOLERANCE)
      for (const row of rows) table.add(row) // what cannot be read answers nobody
      const spelt = new URL(normalise(url.href) ?? url.href).pathname
      const isPage =
        hosts.get(url.hostname)?.kind === 'site' && (await isLiveAt(db, siteId, [url.pathname, ...pathSpellings(spelt)], transaction))
      return { considered: considerRedirects(asked, table, () => isPage), isPage }
    }

    /** What one address of the site answers, and where that sends to. */
    const step = async (url: URL, transaction: Transaction): Promise<{ stop: BenchAnswer['rope'][number]; next: string | null }> => {
      const stopped = (by: BenchAnswer['rope'][number]['by'], status: number | null, next: string | null = null) => ({
        stop: { address: url.href, status, by },
        next,
      })
      const host = hosts.get(url.hostname)
      if (host === undefined) return stopped('outside', null)
      if (host.kind === 'short') {
        const slugs: string[] = []
        matchShortLink(url.pathname, host.prefix, (slug) => {
          slugs.push(slug)
          return null
        })
        const [found] = await destinationsOf(
          db,
          siteId,
          slugs.map((slug) => ({ host: host.host, slug })),
        )
        const link = found === undefined ? null : compileShortLink(found)
        return link === null ? stopped('nothing', 404) : stopped('short link', link.status, link.location)
      }
      const { considered, isPage } = await consider(url, transaction)
      const answer = considered.find((each) => each.answer !== null)?.answer ?? null
      if (answer !== null) return stopped('redirect', answer.status, answer.location)
      if (isPage) return stopped('page', 200)
      return host.kind === 'door' ? stopped('outside', null) : stopped('nothing', 404)
    }

    return inTransaction(db, async (transaction) => {
      const { considered } = await consider(start, transaction)
      const answering = considered.find((each) => each.answer !== null)
      const rope: BenchAnswer['rope'] = []
      for (let url: URL | null = start; url !== null; ) {
        const { stop, next }: Awaited<ReturnType<typeof step>> = await step(url, transaction)
        rope.push(stop)
        url = next === null ? null : parseUrl(next)
        if (url === null) break
        const { href } = url
        const by = rope.some((each) => each.address === href) ? 'loop' : rope.length >= STOPS_MAX ? 'too long' : null
        if (by === null) continue
        rope.push({ address: href, status: null, by })
        break
      }
      const answer = answering?.answer ?? null
      return ok({
        answer: answer === null ? null : { status: answer.status, location: answer.location },
        row: answering === undefined ? null : told(answering),
        considered: considered.map(told),
        rope,
      })
    })
  }
}
