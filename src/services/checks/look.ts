import { parseUrl, siteOfHost } from '../../core/address/index.ts'
import {
  asksForMadeUp,
  betterOf,
  isAlike,
  isBroken,
  type Judged,
  judge,
  leadsTo,
  type MadeUp,
  type SeenPage,
  SLOW_LOOKS,
  SLOW_MS,
  type Standing,
  standingAfter,
  untilNextLook,
} from '../../core/checks/index.ts'
import { type SiteGround, wildcard } from '../../core/rules/index.ts'
import { DAY_MS } from '../../core/time.ts'
import { type DueDestination, type LookResult, lastLook } from '../../data/asked-hosts.ts'
import type { Database } from '../../data/database.ts'
import { insideAllowed, visitHabits } from '../../data/sites.ts'
import type { KeptLook } from '../../data/tables/index.ts'
import { type OutsideStop, stopOf, type visitsService } from '../addresses/index.ts'
import type { Context, SiteViews } from '../context.ts'
import { PoliteAsker, SiteBusy } from './asker.ts'

/** A destination with all its stops, and the waits between them, has this long. */
const VISIT_MS = 60_000
/** A letter that no site uses in a name of its own. */
const MADE_UP = 'zq-no-such-page-'
/** Whether a site answers by https as well is looked at once in so many looks. */
const TWIN_EVERY = 8

/** Looks at destinations that are due: politely, and judged beside what was there before. */
export function destinationLooks({ db }: Context, views: SiteViews, visits: ReturnType<typeof visitsService>) {
  /**
   * Looks at one destination, whose host is held; lets go of it.
   * @returns "never" where it is not to be visited at all, "later" where its site was busy all the time
   */
  return async function look(due: DueDestination): Promise<LookResult | 'never' | 'later'> {
    const start = parseUrl(due.address)
    const view = await views.of({ siteId: due.siteId })
    const habits = await visitHabits(db, due.siteId)
    const asker = new PoliteAsker(db, {
      held: due,
      allowed: await insideAllowed(db, due.siteId),
      agent: agentOf(habits.asksAs, view),
      // The page that is kept is the one that was well: “as the last time” says nothing of another one.
      known: due.seen === null || due.seen.judged.some(isAmiss) ? null : { ...due, page: due.seen.page },
    })
    try {
      if (start === null || habits.neverAsked.some((pattern) => wildcard(pattern)(due.address))) return 'never'
      const known = due.paceMs === 0 ? new KnownStops(db, due.siteId) : null
      const { hops, page } = await visits.walk(due.siteId, start, {
        ask: async (url, leftMs) => (await known?.stop(url)) ?? asker.stop(url, leftMs),
        visitMs: VISIT_MS,
      })
      const seen = { hops, page }
      const madeUp = asksForMadeUp(seen) ? await madeUpOf(asker, seen) : null
      const twin = due.same % TWIN_EVERY === 0 && page !== null ? await twinOf(asker, start, page) : keptTwin(due)
      const at = Date.now()
      const before = standingOf(due)
      const ms = asker.askedMs
      // What was there when it was well, until somebody finds fine what is there now.
      const was = due.fine?.verdict === 'changed' ? null : (due.seen?.page ?? null)
      const isPartners = view.around('/').partnerSites.has(siteOfHost(start.hostname))
      const found = judge({
        ...seen,
        madeUp,
        twin,
        was,
        slowMs: ms > SLOW_MS && due.slow + 1 >= SLOW_LOOKS ? Math.round(ms) : null,
        sectionsMissing:
          asker.names === null ? keptSections(due, asker.isUnchanged) : due.sections.filter((name) => asker.names?.has(name) === false),
        at: new Date(at).toISOString(),
      })
      const judged = isPartners ? withoutPassing(found, start) : found
      const standing = standingAfter(before, { judged, ms, at })
      return {
        ...standing,
        id: due.id,
        siteId: due.siteId,
        dueMs: untilNextLook(standing, { isPaid: isPartners, isPartners, clicks: due.clicks }, spreadOf(due.id)),
        seen: {
          hops: hops.map(({ address, by, status, fault, lost, certificateEnds, ms: took }) => ({
            address,
            by,
            status,
            fault,
            lost,
            certificateEnds: certificateEnds ?? null,
            ms: took,
          })),
          page: judged.some(isAmiss) ? (was ?? page) : (page ?? was),
          judged,
        },
        better: betterOf(judged),
        ...asker.validators,
      }
    } catch (error) {
      if (error instanceof SiteBusy) return 'later'
      throw error
    } finally {
      await asker.free()
    }
  }
}

/** What was seen within this is not asked for again on the way from one of our own addresses. */
const KNOWN_MS = DAY_MS

/** Where our own short links and redirects lead is a destination of its own, which is looked at once for all of them. */
class KnownStops {
  readonly #db: Database
  readonly #siteId: string
  #look: KeptLook | null = null

  constructor(db: Database, siteId: string) {
    this.#db = db
    this.#siteId = siteId
  }

  /**
   * What a stop answered when it was looked at.
   * @returns null where it is to be asked
   * @throws SiteBusy - it is to be looked at by itself first
   */
  async stop(url: URL): Promise<OutsideStop | null> {
    const address = leadsTo(url.href)?.address
    if (address === undefined) return null
    if (this.#look?.hops.some((each) => each.address === url.href) !== true) {
      const row = await lastLook(this.#db, this.#siteId, address)
      if (row === null) return null
      const isOld = row.seenAt === null || Date.now() - row.seenAt.getTime() > KNOWN_MS
      const isDue = row.dueAt !== null && row.dueAt.getTime() <= Date.now()
      if (isDue || (isOld && row.dueAt !== null)) throw new SiteBusy(url.host)
      if (isOld) return null
      this.#look = row.seen
    }
    const hops = this.#look?.hops ?? []
    const at = hops.findIndex((each) => each.address === url.href)
    const hop = hops[at]
    if (hop === undefined) return null
    const { status, fault, ms, certificateEnds = null } = hop
    const next = hops[at + 1]?.address ?? null
    return { status, fault, ms, certificateEnds, next, page: next === null ? (this.#look?.page ?? null) : null }
  }
}

/** Partners' links go by way of their networks: to be passed on to another site is what they are for, and no address to take instead. */
function withoutPassing(judged: readonly [Judged, ...Judged[]], { hostname }: URL): readonly [Judged, ...Judged[]] {
  const passes = (each: Judged): boolean =>
    (each.verdict === 'moved' || each.verdict === 'moved-for-now') && siteOfHost(parseUrl(each.to)?.hostname ?? '') !== siteOfHost(hostname)
  const [first = judged[0], ...rest] = judged.filter((each) => !passes(each))
  return [first, ...rest]
}

/** Whether what a look saw is not what should be there. */
const isAmiss = (judged: Judged): boolean => judged.verdict === 'changed' || isBroken(judged)

/** Who asks, as sites are told it: with an address at which they find whose links are looked at. */
const agentOf = (asksAs: string, { origin }: SiteGround): string =>
  `Mozilla/5.0 (compatible; MapRope/1; +${asksAs === '' ? `${origin}/` : asksAs})`

/** A made-up address of the same site and folder, and where it lands. */
async function madeUpOf(
  asker: PoliteAsker,
  { hops }: { hops: readonly { readonly address: string; readonly by: string }[] },
): Promise<MadeUp | null> {
  const asked = parseUrl(hops.find(({ by }) => by === 'outside')?.address ?? '')
  if (asked === null) return null
  const name = `${MADE_UP}${asked.pathname.length}${/\.[a-z]{2,5}$/i.exec(asked.pathname)?.[0] ?? ''}`
  const url = new URL(name, new URL('.', asked))
  const answer = await asker.besides(url, 'GET')
  if (answer === null) return null
  const { next, page, status } = stopOf(url, answer)
  return { status: status ?? 0, landedAt: (next === null ? url : (parseUrl(next, url.href) ?? url)).href, page }
}

/** The same address by https, where that answers alike. */
async function twinOf(asker: PoliteAsker, start: URL, page: SeenPage): Promise<string | null> {
  if (start.protocol !== 'http:' || start.port !== '') return null
  const url = new URL(start.href.replace(/^http:/, 'https:'))
  const answer = await asker.besides(url, 'GET')
  if (answer === null || answer.status !== 200) return null
  const twin = stopOf(url, answer).page
  return twin !== null && isAlike(page, twin) ? url.href : null
}

const keptTwin = ({ seen }: DueDestination): string | null =>
  seen?.judged.flatMap((each) => (each.verdict === 'insecure' ? [each.to] : []))[0] ?? null

const keptSections = ({ seen }: DueDestination, isUnchanged: boolean): readonly string[] =>
  isUnchanged ? (seen?.judged.flatMap((each) => (each.verdict === 'lands' ? each.sectionsMissing : [])) ?? []) : []

function standingOf({ verdict, also, isBroken, since, seenAt, doubts, same, slow }: DueDestination): Standing | null {
  if (verdict === null || since === null || seenAt === null) return null
  return { verdict, also, isBroken, since: since.getTime(), seenAt: seenAt.getTime(), doubts, same, slow }
}

/** From 0 to 1, the same for a destination each time. */
const spreadOf = (id: string): number => Number.parseInt(id.slice(0, 8), 16) / 2 ** 32
