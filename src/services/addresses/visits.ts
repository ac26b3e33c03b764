import { mayAsk } from '../../contract/operation.ts'
import { visits as calls, type Hop, type Visit } from '../../contract/visits.ts'
import { parseUrl, pathSpellings, repair, siteOfHost } from '../../core/address/index.ts'
import {
  isBroken,
  type Judged,
  judge,
  numbersLost,
  parametersBetween,
  type SeenHop,
  type SeenPage,
  type StopFault,
  seenPage,
  tellJudged,
  type Verdict,
} from '../../core/checks/index.ts'
import { decodeSource, sniffEncoding } from '../../core/markup/index.ts'
import { fail, ok, type Result } from '../../core/result.ts'
import type { SiteGround } from '../../core/rules/index.ts'
import { isOwnPath } from '../../data/paths.ts'
import { insideAllowed } from '../../data/sites.ts'
import { ANSWER_MS, type Answer, askOutside } from '../../outside/index.ts'
import type { Actor, Context, SiteViews } from '../context.ts'
import type { redirectBench } from '../redirects/index.ts'
import { shortLinkAt } from '../short-links/index.ts'

/** Browsers stop at 20 (Fetch, "HTTP-redirect fetch"); a link that needs more than this has lost its readers. */
const HOPS_MAX = 10
/** A destination with all its hops has this long. */
const VISIT_MS = 30_000

/** A stop as it was seen, and how long it took. */
export interface TimedHop extends SeenHop {
  readonly ms: number
  readonly added: readonly string[]
  readonly dropped: readonly string[]
}

/** A visit as it was seen. */
export interface Walk {
  readonly hops: readonly TimedHop[]
  /** What the last stop showed. */
  readonly page: SeenPage | null
}

/** The same, and what there is to say of it. */
export interface Seen extends Walk {
  readonly judged: readonly [Judged, ...Judged[]]
}

/** What a stop outside answered, and where that sends to. */
export interface OutsideStop {
  readonly status: number | null
  readonly fault: StopFault | null
  readonly next: string | null
  readonly page: SeenPage | null
  readonly certificateEnds?: string | null
  /** How long it took to answer, where that is not all the time that passed. */
  readonly ms?: number
}
interface Stop extends OutsideStop {
  readonly by: SeenHop['by']
}

/** How stops are asked. */
interface Way {
  /** A page that is not published yet is there for whoever writes; visitors find none. */
  readonly countsDrafts?: boolean
  /** Asks a stop outside, in the time that is left; as readers do where it is left out. */
  readonly ask?: (url: URL, leftMs: number) => Promise<OutsideStop>
  /** The visit with all its stops has this long. */
  readonly visitMs?: number
}

export function visitsService({ db }: Context, views: SiteViews, bench: ReturnType<typeof redirectBench>) {
  /**
   * Follows a destination to where it lands, stop by stop, as visitors follow it. The site's own short links and pages are looked
   * up, not called: nothing is counted. Private networks are out of bounds unless the owner allows them.
   */
  async function walk(siteId: string, start: URL, { countsDrafts = false, ask, visitMs = VISIT_MS }: Way = {}): Promise<Walk> {
    const view = await views.of({ siteId })
    const allowed = await insideAllowed(db, siteId)
    const hosts = new Map(view.setup.hosts.map(({ host, kind }) => [host, kind]))
    const begunAt = performance.now()
    const asReader = (url: URL, leftMs: number): Promise<OutsideStop> => atSite(url, allowed, Math.min(ANSWER_MS, leftMs))
    const stopAt = async (url: URL): Promise<Stop> => {
      const kind = hosts.get(url.hostname)
      if (kind === 'short') return atShortLink(view, url)
      if (kind === 'site') return atPage(siteId, url, countsDrafts)
      return { by: 'outside', ...(await (ask ?? asReader)(url, Math.max(1, visitMs - (performance.now() - begunAt)))) }
    }
    const hops: TimedHop[] = []
    const seenAs = (page: SeenPage | null): Walk => ({ hops, page })
    for (let url = start, before: URL | null = null; ; ) {
      const startedAt = performance.now()
      const { by, status, fault, next, page, certificateEnds = null, ms: tookMs } = await stopAt(url)
      const lost = before === null ? [] : numbersLost(before.href, url.href, view.setup.partners)
      const { added, dropped } = before === null ? { added: [], dropped: [] } : parametersBetween(before, url)
      const ms = Math.round(tookMs ?? performance.now() - startedAt)
      hops.push({ address: url.href, by, status, fault, lost, certificateEnds, added, dropped, ms })
      if (next === null) return seenAs(page)
      const target = parseUrl(next, url.href)
      const isWeb = target !== null && /^https?:$/.test(target.protocol)
      const isRound = hops.some(({ address }) => address === target?.href)
      if (!isWeb || isRound || hops.length >= HOPS_MAX) {
        const why = !isWeb ? 'no-address' : isRound ? 'in-a-circle' : 'too-many-hops'
        hops.push({ address: next, by: 'outside', status: null, fault: why, lost: [], added: [], dropped: [], ms: 0 })
        return seenAs(null)
      }
      before = url
      url = target
    }
  }

  async function atShortLink(view: SiteGround, url: URL): Promise<Stop> {
    const match = await shortLinkAt(db, view, url)
    const own = { by: 'short link', page: null } as const
    if (match === null) return { ...own, status: 404, fault: 'no-short-link', next: null }
    return { ...own, status: match.status, fault: match.location === null ? 'told-gone' : null, next: match.location }
  }

  async function atPage(siteId: string, url: URL, countsDrafts: boolean): Promise<Stop> {
    const own = { by: 'site', page: null } as const
    if (countsDrafts && (await isOwnPath(db, siteId, pathSpellings(url.pathname)))) return { ...own, status: 200, fault: null, next: null }
    // What a visitor is answered is no secret of those who may read the table.
    const asked = await bench({ siteId, can: () => true }, { address: url.href })
    const [first, second] = asked.ok ? asked.value.rope : []
    if (first === undefined || first.by === 'nothing') return { ...own, status: 404, fault: 'no-page', next: null }
    const [status, next] = [first.status ?? 404, second?.address ?? null]
    return { ...own, status, fault: next === null && status >= 400 ? 'told-gone' : null, next }
  }

  async function see(siteId: string, start: URL, countsDrafts = false): Promise<Seen> {
    const seen = await walk(siteId, start, { countsDrafts })
    return { ...seen, judged: judge(seen) }
  }

  return {
    walk,
    /** {@link walk}, and what there is to say of it. */
    see,

    /** Follows a destination for somebody who asks; see {@link see}. */
    async visit(actor: Actor, typed: string): Promise<Result<Visit, 'forbidden' | 'address-unreadable'>> {
      if (!mayAsk(actor, calls.visit)) return fail('forbidden')
      const view = await views.of(actor)
      const mended = repair(typed, view.around('/'))
      const start = mended.ok ? parseUrl(mended.value.address, `${view.origin}/`) : null
      if (start === null || !/^https?:$/.test(start.protocol)) return fail('address-unreadable', { typed })
      return ok(shown(await see(actor.siteId, start, true), view))
    },
  }
}

async function atSite(url: URL, allowed: readonly string[], totalMs: number): Promise<OutsideStop> {
  const asked = await askOutside(url, allowed, { totalMs })
  return asked.ok ? stopOf(url, asked.value) : noAnswer(asked.fault)
}

/** A stop at which nobody answered. */
export const noAnswer = (fault: StopFault): OutsideStop => ({ status: null, fault, next: null, page: null })

/** What an answer shows of its stop. */
export function stopOf(url: URL, { status, location, type, body, certificateEnds }: Answer): OutsideStop {
  const page = /html/i.test(type) && body.length > 0 ? seenPage(decodeSource(body, sniffEncoding(body).encoding), url.href) : null
  return { status, fault: null, next: status >= 300 && status < 400 ? location : null, page, certificateEnds }
}

function shown({ hops, judged, page }: Seen, view: SiteGround): Visit {
  const { partnerSites } = view.around('/')
  const [verdict, ...also] = judged.map((each) => each.verdict) as [Verdict, ...Verdict[]]
  const end = judged.some(isBroken) ? 'fails' : also.concat(verdict).includes('refused') ? 'refused' : 'lands'
  return {
    hops: hops.map(({ address, by, status, fault, lost, added, dropped, ms }, i): Hop => {
      const passed = by === 'short link' ? by : by === 'outside' && isPartner(address, partnerSites) ? 'partner' : 'hop'
      const kind = i === hops.length - 1 ? end : passed
      return { address, status, ms, kind, added: [...added], dropped: [...dropped], lost: [...lost], why: fault }
    }),
    verdict,
    also,
    lands: end === 'lands',
    title: page?.title ?? null,
    says: end === 'lands' ? null : tellJudged(judged.find((each) => isBroken(each) || each.verdict === 'refused') ?? judged[0]),
  }
}

const isPartner = (address: string, sites: { has(site: string): boolean }): boolean => {
  const url = parseUrl(address)
  return url !== null && sites.has(siteOfHost(url.hostname))
}
