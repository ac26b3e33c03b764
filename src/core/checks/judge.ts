import { parseUrl, siteOfHost } from '../address/index.ts'
import { DAY_MS } from '../time.ts'
import { isAlike, isAnother, type ParkedSign, type SeenPage } from './page.ts'
import type { SeenHop, StopFault, Visited } from './seen.ts'

/** What can be said of a destination, the worst first. */
export const VERDICTS = [
  'unreachable',
  'certificate',
  'goes-round',
  'missing',
  'soft-missing',
  'parked',
  'failing',
  'number-lost',
  'changed',
  'refused',
  'slow',
  'moved',
  'insecure',
  'moved-for-now',
  'lands',
] as const
export type Verdict = (typeof VERDICTS)[number]

/** By what a page that answers 200 was told to be none: its own words, or that any address there is answered so. */
export type SoftSign = 'says-so' | 'as-any-address'

/** A verdict with what it was seen by. `at` is the number of a stop, from 0 on. */
export type Judged =
  | { readonly verdict: 'unreachable' | 'goes-round'; readonly at: number; readonly fault: StopFault }
  /** `ends`: it is good until then, which is soon; null where it is good no more. */
  | { readonly verdict: 'certificate'; readonly at: number; readonly fault: StopFault | null; readonly ends: string | null }
  | { readonly verdict: 'missing'; readonly at: number; readonly status: number | null; readonly fault: StopFault | null }
  | { readonly verdict: 'soft-missing'; readonly at: number; readonly signs: readonly SoftSign[] }
  | { readonly verdict: 'parked'; readonly at: number; readonly signs: readonly (ParkedSign | 'led-to-another-site')[] }
  | { readonly verdict: 'failing'; readonly at: number; readonly status: number }
  | { readonly verdict: 'number-lost'; readonly at: number; readonly partners: readonly string[] }
  | { readonly verdict: 'changed'; readonly at: number; readonly title: string; readonly was: string }
  | { readonly verdict: 'refused'; readonly at: number; readonly status: number | null; readonly fault: StopFault | null }
  | { readonly verdict: 'slow'; readonly at: number; readonly ms: number }
  | { readonly verdict: 'moved' | 'moved-for-now' | 'insecure'; readonly at: number; readonly to: string }
  | { readonly verdict: 'lands'; readonly at: number; readonly status: number; readonly sectionsMissing: readonly string[] }

/** Moved for good: the address in `Location` is to be taken instead (RFC 9110 §15.4.2, §15.4.9). */
const FOR_GOOD: ReadonlySet<number | null> = new Set([301, 308])
const GONE: ReadonlySet<number | null> = new Set([404, 410])
/** A certificate that ends so soon is told: whoever has to renew it has the time for it. */
const ENDS_SOON_MS = 14 * DAY_MS

const BROKEN: ReadonlySet<Verdict> = new Set(['unreachable', 'goes-round', 'missing', 'soft-missing', 'parked', 'failing'])

/** Whether a visitor who is sent there finds nothing. Where robots are turned away nobody knows: that is not broken. */
export const isBroken = (judged: Judged): boolean => (judged.verdict === 'certificate' ? judged.ends === null : BROKEN.has(judged.verdict))

/** The worst first; a certificate that still is good is no worse than a site that is slow. */
const rankOf = (judged: Judged): number =>
  VERDICTS.indexOf(judged.verdict === 'certificate' && judged.ends !== null ? 'slow' : judged.verdict)

/**
 * What there is to say of a destination, from a visit to it.
 * @returns all that is true, the worst first; never empty
 */
export function judge(visited: Visited): readonly [Judged, ...Judged[]] {
  const { hops } = visited
  const last = hops[hops.length - 1]
  if (last === undefined) throw new RangeError('a visit has at least one stop')
  const end = endOf(last, hops.length - 1, visited.sectionsMissing ?? [])
  const page = end.verdict === 'lands' ? ofPage(visited, last, end) : []
  const isNothing = [end, ...page].some(isBroken)
  const others = [...lostOn(hops), ...(isNothing ? [] : [...moves(hops), ...besides(visited, end)])]
  // Whoever finds nothing there does not land.
  const ends = isNothing && end.verdict === 'lands' ? [] : [end]
  const [worst = end, ...rest] = [...ends, ...page, ...others].sort((a, b) => rankOf(a) - rankOf(b))
  return [worst, ...rest]
}

function endOf({ status, fault }: SeenHop, at: number, sectionsMissing: readonly string[]): Judged {
  switch (fault) {
    case 'this-machine':
    case 'private-network':
    case 'robots':
      return { verdict: 'refused', at, status, fault } // nobody was asked
    case 'certificate':
    case 'certificate-over':
    case 'certificate-of-another':
    case 'certificate-of-nobody':
      return { verdict: 'certificate', at, fault, ends: null }
    case 'in-a-circle':
    case 'too-many-hops':
      return { verdict: 'goes-round', at, fault }
    case 'no-short-link':
    case 'no-page':
    case 'told-gone':
      return { verdict: 'missing', at, status, fault }
    case null:
      break
    default:
      return { verdict: 'unreachable', at, fault }
  }
  if (status === null) return { verdict: 'unreachable', at, fault: 'unreachable' }
  if (GONE.has(status)) return { verdict: 'missing', at, status, fault: null }
  if (status >= 500) return { verdict: 'failing', at, status }
  // Asked for a name, told to pay, asked too often, or taken for a robot: whether there is anything for a reader cannot be told.
  if (status >= 400) return { verdict: 'refused', at, status, fault: null }
  return { verdict: 'lands', at, status, sectionsMissing }
}

/** What the page itself shows, where one was answered. */
function ofPage({ hops, page, madeUp, was }: Visited, last: SeenHop, { at }: Judged): Judged[] {
  if (page == null || last.by !== 'outside') return []
  const found: Judged[] = []
  const soft = softSigns(page, hops, madeUp)
  if (soft.length > 0) found.push({ verdict: 'soft-missing', at, signs: soft })
  const signs = [...page.parked, ...(isLedAway(hops) ? (['led-to-another-site'] as const) : [])]
  const isSold = signs.includes('says-for-sale') && signs.length > 1
  if (isSold || signs.length > 3) found.push({ verdict: 'parked', at, signs })
  if (found.length === 0 && was != null && isAnother(was, page))
    found.push({ verdict: 'changed', at, title: page.title ?? '', was: was.title ?? '' })
  return found
}

/** Whether a made-up neighbour should be asked as well: the page says that it is none, or stands higher than what was asked for. */
export function asksForMadeUp({ hops, page }: Pick<Visited, 'hops' | 'page'>): boolean {
  const [first, last] = [firstOutside(hops), hops[hops.length - 1]]
  if (page == null || first === undefined || last === undefined || last.status !== 200) return false
  return page.saysMissing || isLedUp(first.address, last.address)
}

function softSigns(page: SeenPage, hops: Visited['hops'], madeUp: Visited['madeUp']): SoftSign[] {
  const [first, last] = [firstOutside(hops), hops[hops.length - 1]]
  if (first === undefined || last === undefined) return []
  if (madeUp == null) return page.saysMissing ? ['says-so'] : []
  // A site that tells a missing page as one has this one, whatever it is called.
  if (madeUp.status >= 400) return []
  const isLedAlike = madeUp.landedAt === last.address && isLedUp(first.address, last.address)
  // Many a site answers every address with one page that then asks for the rest: that alone says nothing.
  const isLikeAny = page.saysMissing && madeUp.page !== null && isAlike(page, madeUp.page)
  return [...(page.saysMissing ? (['says-so'] as const) : []), ...(isLedAlike || isLikeAny ? (['as-any-address'] as const) : [])]
}

const firstOutside = (hops: Visited['hops']): SeenHop | undefined => hops.find(({ by }) => by === 'outside')

/** Whether an address of a site led to a folder above it there, most often the front page. */
function isLedUp(from: string, to: string): boolean {
  const [a, b] = [parseUrl(from), parseUrl(to)]
  if (a === null || b === null || siteOfHost(a.hostname) !== siteOfHost(b.hostname) || a.pathname === b.pathname) return false
  return a.pathname.startsWith(b.pathname.replace(/[^/]*$/, '')) && b.pathname.endsWith('/') && b.search === ''
}

/** Whether the name it was asked for is told to another site, as those are told that buy and sell names. */
function isLedAway(hops: Visited['hops']): boolean {
  const [first, last] = [firstOutside(hops), hops[hops.length - 1]]
  const [a, b] = [parseUrl(first?.address ?? ''), parseUrl(last?.address ?? '')]
  if (a === null || b === null || siteOfHost(a.hostname) === siteOfHost(b.hostname)) return false
  return `${b.pathname}${b.search}`.includes(a.hostname.replace(/^www\./, ''))
}

const lostOn = (hops: readonly SeenHop[]): Judged[] => {
  const at = hops.findIndex(({ lost }) => lost.length > 0)
  return at === -1 ? [] : [{ verdict: 'number-lost', at, partners: hops[at]?.lost ?? [] }]
}

/** What a site outside says of its own address first; where our own short links and redirects lead is our own business. */
function moves(hops: readonly SeenHop[]): Judged[] {
  const at = hops.findIndex(({ by }) => by === 'outside')
  if (at === -1 || at === hops.length - 1) return []
  let to = at
  while (to < hops.length - 1 && FOR_GOOD.has(hops[to]?.status ?? null)) to++
  if (to > at) return [{ verdict: 'moved', at, to: hops[to]?.address ?? '' }]
  return [{ verdict: 'moved-for-now', at, to: hops[at + 1]?.address ?? '' }]
}

/** What is true besides of what is there. */
function besides({ hops, twin, slowMs, at: seenAt }: Visited, { at }: Judged): Judged[] {
  const found: Judged[] = []
  if (slowMs != null) found.push({ verdict: 'slow', at, ms: slowMs })
  const first = hops.findIndex(({ by }) => by === 'outside')
  // An address that has moved is led to where it moved, not to its own twin.
  if (twin != null && !moves(hops).some(({ verdict }) => verdict === 'moved')) found.push({ verdict: 'insecure', at: first, to: twin })
  const ending = hops.findIndex(({ certificateEnds }) => endsSoon(certificateEnds, seenAt))
  if (ending !== -1) found.push({ verdict: 'certificate', at: ending, fault: null, ends: hops[ending]?.certificateEnds ?? null })
  return found
}

const endsSoon = (ends: string | null | undefined, seenAt: string | undefined): boolean =>
  ends != null && seenAt !== undefined && Date.parse(ends) - Date.parse(seenAt) < ENDS_SOON_MS

/** The address to take instead; null where there is none to be told. */
export const betterOf = (judged: readonly Judged[]): string | null =>
  judged.flatMap((each) => (each.verdict === 'moved' || each.verdict === 'insecure' ? [each.to] : []))[0] ?? null
