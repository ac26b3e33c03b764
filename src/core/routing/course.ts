import type { QueryHabit, RedirectConditions } from './redirect.ts'

/** What becomes of a short link that is over: its visitors are told so, get 410 (RFC 9110 §15.5.11), or are sent elsewhere. */
export const ENDINGS = ['page', 'gone', 'elsewhere'] as const
export type Ending = (typeof ENDINGS)[number]

/** Values of `Referrer-Policy` (W3C Referrer Policy) that make sense for a link; "" leaves it to the browser. */
export const REFERRER_POLICIES = ['', 'no-referrer', 'origin', 'strict-origin', 'unsafe-url'] as const
export type ReferrerPolicy = (typeof REFERRER_POLICIES)[number]

/** Most destinations that some visitors are sent to, and that a split has besides the main one. */
export const CASES_MAX = 20
export const SPLIT_MAX = 7
/** Largest weight, inclusive. */
export const WEIGHT_MAX = 1_000

/** Who of a short link's visitors is sent where, and when. */
export interface ShortLinkCourse {
  readonly query: QueryHabit
  /** Other destinations under conditions, a time among them; the first that holds answers. */
  readonly cases: readonly { readonly when: RedirectConditions; readonly to: string }[]
  /** Shares of the visitors: of the main destination, and of others. Null where everybody is sent to the one. */
  readonly split: { readonly main: number; readonly others: readonly { readonly to: string; readonly weight: number }[] } | null
  /** UTC, in milliseconds; starts inclusive, ends exclusive. */
  readonly startsAtMs: number | null
  readonly endsAtMs: number | null
  /** So many clicks of people, and then it is over. */
  readonly clickLimit: number | null
  readonly ending: Ending
  /** Where visitors of one that is over are sent; "" where they are not. */
  readonly endingTo: string
  /** Where visitors are sent while the main destination does not answer; "" for nowhere else. */
  readonly fallback: string
  /** Search engines may take the address up and follow it. */
  readonly isIndexed: boolean
  readonly referrer: ReferrerPolicy
}

/** What most short links are: one destination, always. */
export const PLAIN_COURSE: ShortLinkCourse = {
  query: 'drop',
  cases: [],
  split: null,
  startsAtMs: null,
  endsAtMs: null,
  clickLimit: null,
  ending: 'page',
  endingTo: '',
  fallback: '',
  isIndexed: false,
  referrer: '',
}

/** A course as it is kept: only what differs from the plain one. Two that answer alike are written alike. */
export function keptCourse(course: ShortLinkCourse): Partial<ShortLinkCourse> {
  const kept = Object.entries(course).filter(
    ([name, value]) => JSON.stringify(value) !== JSON.stringify(PLAIN_COURSE[name as keyof ShortLinkCourse]),
  )
  return Object.fromEntries(kept)
}

export type CourseFault = 'course-never' | 'course-weights' | 'course-limit' | 'course-ending'

/** Why nobody could follow such a course; null where somebody can. Destinations are looked at elsewhere. */
export function courseFault({ startsAtMs, endsAtMs, cases, split, clickLimit, ending, endingTo }: ShortLinkCourse): CourseFault | null {
  const isNever = (from: number | null | undefined, until: number | null | undefined): boolean =>
    from != null && until != null && until <= from
  if (isNever(startsAtMs, endsAtMs) || cases.some(({ when }) => isNever(when.fromMs, when.untilMs))) return 'course-never'
  if (split !== null && split.main + split.others.reduce((sum, { weight }) => sum + weight, 0) <= 0) return 'course-weights'
  if (clickLimit !== null && clickLimit < 1) return 'course-limit'
  return ending === 'elsewhere' && endingTo === '' ? 'course-ending' : null
}

/** Every destination of a course besides the main one. */
export const destinationsIn = ({ cases, split, endingTo, fallback }: ShortLinkCourse): readonly string[] =>
  [...cases.map(({ to }) => to), ...(split?.others ?? []).map(({ to }) => to), endingTo, fallback].filter((to) => to !== '')

/** Which destination of a split a visitor gets: 0 is the main one. @param chance - from 0 inclusive to 1 exclusive */
export function variantFor({ main, others }: NonNullable<ShortLinkCourse['split']>, chance: number): number {
  const weights = [main, ...others.map(({ weight }) => weight)]
  let left = chance * weights.reduce((sum, each) => sum + each, 0)
  for (const [i, weight] of weights.entries()) {
    if (left < weight) return i
    left -= weight
  }
  return weights.findLastIndex((weight) => weight > 0)
}
