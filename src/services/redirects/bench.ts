import { mayAsk } from '../../contract/operation.ts'
import { type BenchAnswer, type BenchRequest, type ConsideredRow, redirects as calls } from '../../contract/redirects.ts'
import { normalise, parseUrl, pathSpellings } from '../../core/address/index.ts'
import { fail, ok, type Result } from '../../core/result.ts'
import {
  type Asked,
  type Considered,
  considerRedirects,
  pathKey,
  plainPath,
  type Redirect,
  type RedirectMatch,
  RedirectTable,
  stemsOf,
  TOLERANCE,
} from '../../core/routing/index.ts'
import { originOf } from '../../core/rules/index.ts'
import type { Transaction } from '../../data/database.ts'
import { asOfNow } from '../../data/delivered.ts'
import {
  askedRedirects,
  type DeliveredRedirect,
  isLiveAt,
  keptRedirects,
  pagePathsByCapitals,
  redirectGroups,
  redirectsAt,
  wasLiveAt,
} from '../../data/redirects.ts'
import type { Actor, Context, SiteViews } from '../context.ts'
import { shortLinkAt } from '../short-links/index.ts'

/** Browsers stop at 20 (Fetch, "HTTP-redirect fetch"); whoever is sent on more often than this has long been lost. */
const STOPS_MAX = 10

type Stop = BenchAnswer['rope'][number]
/** One address of the site: what it answers, where that sends to, and the rows that it brings up. */
interface Step {
  readonly stop: Stop
  readonly next: string | null
  readonly considered: readonly Considered[]
}

/** A row as if it were kept, in place of the one of its id. */
export interface TriedRow {
  readonly row: Redirect
  /** When it is asked. */
  readonly nowMs: number
}

const told = ({ row: { id, match, from, to, status }, why }: Considered): ConsideredRow => ({ id, match, from, to, status, why })

/**
 * How an address is answered: now, or by the table as it stood on a past day. Rows are read from the database, those that the
 * address brings up and those that have to be asked.
 */
export function redirectBench({ db, settings }: Context, views: SiteViews) {
  return async (
    actor: Pick<Actor, 'siteId' | 'can'>,
    { address, language, device, at, draft = false }: BenchRequest,
    tried?: TriedRow,
  ): Promise<Result<BenchAnswer, 'forbidden' | 'address-unreadable' | 'unknown-host'>> => {
    if (!mayAsk(actor, calls.bench)) return fail('forbidden')
    const view = await views.of(actor)
    const { siteId } = actor
    const hosts = new Map(view.setup.hosts.map((host) => [host.host, host]))
    const start = parseUrl(address.trim(), `${view.origin}/`)
    if (start === null || !/^https?:$/.test(start.protocol)) return fail('address-unreadable', { typed: address })
    if (!hosts.has(start.hostname)) return fail('unknown-host', { host: start.hostname })
    const nowMs = tried?.nowMs ?? (at === undefined ? Date.now() : Date.parse(at))

    // Rows are taken in as stops bring them up; those that have to be asked once, for all stops.
    const table = new RedirectTable(view.setup.tolerance ?? TOLERANCE)
    const known = new Set<string>()
    if (tried !== undefined) {
      known.add(tried.row.id)
      table.add(tried.row)
    }
    const take = (rows: readonly DeliveredRedirect[]): void => {
      for (const row of rows) if (!known.has(row.id)) table.add(row) // what cannot be read answers nobody
      for (const { id } of rows) known.add(id)
    }

    const isThere = (paths: readonly string[], transaction: Transaction): Promise<boolean> =>
      at === undefined ? isLiveAt(db, siteId, paths, transaction) : wasLiveAt(db, siteId, new Date(at), paths, transaction)

    /** Where the page stands that an address differs from by capitals alone. */
    const byCapitals = async (paths: readonly string[], transaction: Transaction): Promise<string | null> => {
      if (!(view.setup.tolerance ?? TOLERANCE).ignoresCase) return null
      for (const path of await pagePathsByCapitals(db, siteId, paths, transaction)) if (await isThere([path], transaction)) return path
      return null
    }

    const consider = async (
      url: URL,
      transaction: Transaction,
    ): Promise<{ considered: readonly Considered[]; isPage: boolean; moved: string | null }> => {
      const path = plainPath(url.pathname)
      const asked: Asked = {
        host: url.hostname,
        origin: hosts.get(url.hostname)?.kind === 'short' ? view.origin : originOf(url.hostname, settings.port),
        isByNameOnly: hosts.get(url.hostname)?.kind !== 'site',
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
      if (at === undefined && draft)
        take((await keptRedirects(db, siteId, keys, transaction)).map(({ place, ...row }) => ({ ...row, order: place })))
      else if (at === undefined) take((await redirectGroups(db, siteId, keys, transaction)).flatMap((group) => group.rows))
      else take(await redirectsAt(db, siteId, new Date(at), keys, transaction))
      const spelt = new URL(normalise(url.href) ?? url.href).pathname
      const paths = [url.pathname, ...pathSpellings(spelt)]
      const isSite = hosts.get(url.hostname)?.kind === 'site'
      const isPage = isSite && (await isThere(paths, transaction))
      const moved = isSite && !isPage ? await byCapitals(paths, transaction) : null
      return { considered: considerRedirects(asked, table, () => isPage || moved !== null), isPage, moved }
    }

    /** What one address of the site answers, and where that sends to. */
    const step = async (url: URL, transaction: Transaction): Promise<Step> => {
      let considered: readonly Considered[] = []
      const stopped = (by: Stop['by'], status: number | null, next: string | null = null): Step => ({
        stop: { address: url.href, status, by },
        next,
        considered,
      })
      const host = hosts.get(url.hostname)
      if (host === undefined) return stopped('outside', null)
      if (host.kind === 'short') {
        const link = await shortLinkAt(db, view, url)
        if (link !== null) return stopped('short link', link.status, link.location)
      }
      const found = await consider(url, transaction)
      considered = found.considered
      const answer = considered.find((each) => each.answer !== null)?.answer ?? null
      if (answer !== null) return stopped('redirect', answer.status, answer.location)
      if (found.isPage) return stopped('page', 200)
      if (found.moved !== null) return stopped('capitals', 301, new URL(found.moved + url.search, url).href)
      return host.kind === 'door' ? stopped('outside', null) : stopped('nothing', 404)
    }

    return asOfNow(db, async (transaction) => {
      if (at === undefined) take(await askedRedirects(db, siteId, transaction, draft))
      const first = await step(start, transaction)
      const rope: Stop[] = []
      for (let url: URL | null = start; url !== null; ) {
        const { stop, next }: Step = rope.length === 0 ? first : await step(url, transaction)
        rope.push(stop)
        url = next === null ? null : parseUrl(next)
        if (url === null) break
        const { href } = url
        const by = rope.some((each) => each.address === href) ? 'loop' : rope.length >= STOPS_MAX ? 'too long' : null
        if (by === null) continue
        rope.push({ address: href, status: null, by })
        break
      }
      const { considered } = first
      const answering = considered.find((each) => each.answer !== null)
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
