import { DAY_MS, HOUR_MS } from '../time.ts'
import { isBroken, type Judged, type Verdict } from './judge.ts'

/** What is said of a destination, and how its looks went. Times are milliseconds since 1970. */
export interface Standing {
  readonly verdict: Verdict
  /** What else is true. */
  readonly also: readonly Verdict[]
  readonly isBroken: boolean
  /** Since when that is said. */
  readonly since: number
  readonly seenAt: number
  /** Looks in a row that found it broken while nobody says so yet. */
  readonly doubts: number
  /** Looks in a row that found the same. */
  readonly same: number
  /** Looks in a row that took very long. */
  readonly slow: number
}

/** What decides how often a destination is looked at. */
export interface Importance {
  /** Links to it are paid. */
  readonly isPaid: boolean
  /** It belongs to a partner: each look is a visitor in somebody's statistics. */
  readonly isPartners: boolean
  /** People who follow links to it in a month, as far as they are counted. */
  readonly clicks: number
}

/** One that was well is asked again after these before it is called broken. */
const AGAIN_MS = [10 * 60_000, 2 * HOUR_MS, 12 * HOUR_MS] as const
/** A look that took longer than this was slow, and three in a row are told. */
export const SLOW_MS = 10_000
export const SLOW_LOOKS = 3
const FIRST_MS = DAY_MS
const MOST_MS = 30 * DAY_MS
/** One that earns or is much followed, and one that is broken, is looked at once a week at least. */
const WEEK_MS = 7 * DAY_MS
const MANY_CLICKS = 100
/** Looks are spread by this share of the time between two. */
const SPREAD = 0.15

/** The worst of what a look found, and the rest by name. */
const namesOf = ([first, ...rest]: readonly [Judged, ...Judged[]]): { verdict: Verdict; also: readonly Verdict[] } => ({
  verdict: first.verdict,
  also: rest.map(({ verdict }) => verdict),
})

/**
 * What is to be said after a look. Whatever was never seen, or was broken, is said at once; what was well is in doubt first, and called
 * broken when it was found so again after ten minutes, two hours and twelve.
 * @param before - null where it was never seen
 */
export function standingAfter(
  before: Standing | null,
  { judged, ms, at }: { readonly judged: readonly [Judged, ...Judged[]]; readonly ms: number; readonly at: number },
): Standing {
  const isBad = judged.some(isBroken)
  const slow = ms > SLOW_MS ? (before?.slow ?? 0) + 1 : 0
  if (before !== null && isBad && !before.isBroken && before.doubts < AGAIN_MS.length)
    return { ...before, seenAt: at, doubts: before.doubts + 1, slow }
  const now = namesOf(judged)
  const isSame = before !== null && before.verdict === now.verdict && before.also.join() === now.also.join()
  return {
    ...now,
    isBroken: isBad,
    since: isSame ? before.since : at,
    seenAt: at,
    doubts: 0,
    same: isSame && before.doubts === 0 ? before.same + 1 : 0,
    slow,
  }
}

/**
 * How long until the next look.
 * @param spread - from 0 to 1, another one for each destination, so that looks spread over the day
 * @returns milliseconds
 */
export function untilNextLook(standing: Standing, { isPaid, isPartners, clicks }: Importance, spread: number): number {
  const { doubts, same, verdict } = standing
  if (doubts > 0) return AGAIN_MS[doubts - 1] ?? FIRST_MS
  const most = standing.isBroken || isPaid || clicks >= MANY_CLICKS ? WEEK_MS : MOST_MS
  // Whoever turns robots away is not asked the more often for it.
  const first = verdict === 'refused' || isPartners ? WEEK_MS : FIRST_MS
  const plain = Math.max(isPartners ? WEEK_MS : 0, Math.min(most, first * 2 ** Math.min(same, 10)))
  return Math.round(plain * (1 + SPREAD * (isPartners ? spread : 2 * spread - 1)))
}
