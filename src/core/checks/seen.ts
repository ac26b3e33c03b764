import type { SeenPage } from './page.ts'

/** Why asking an address outside ended without an answer. */
export const ASK_FAULTS = [
  'this-machine',
  'private-network',
  'no-name',
  'nobody-answers',
  'broke-off',
  'certificate',
  'certificate-over',
  'certificate-of-another',
  'certificate-of-nobody',
  'not-in-time',
  'too-slow',
  'head-too-large',
  'unreachable',
] as const
export type AskFault = (typeof ASK_FAULTS)[number]

/** Why a visit went no further at a stop, besides what the status there says. */
export const STOP_FAULTS = [
  ...ASK_FAULTS,
  'robots',
  'no-short-link',
  'no-page',
  'told-gone',
  'no-address',
  'in-a-circle',
  'too-many-hops',
] as const
export type StopFault = (typeof STOP_FAULTS)[number]

/** One stop of a visit. */
export interface SeenHop {
  readonly address: string
  /** Who answers there: our own short links and pages are looked up, everything else is asked. */
  readonly by: 'short link' | 'site' | 'outside'
  /** Null when nothing answered. */
  readonly status: number | null
  readonly fault: StopFault | null
  /** Partners whose number the stop before still carried, and this one does not. */
  readonly lost: readonly string[]
  /** Until when its certificate is good (ISO 8601); null or left out where there is none. */
  readonly certificateEnds?: string | null
}

/** What a made-up address of the same site and folder answered. */
export interface MadeUp {
  readonly status: number
  /** Where it landed; itself where it was not sent on. */
  readonly landedAt: string
  readonly page: SeenPage | null
}

/** What a visit saw, and what is known from before. Whatever nobody looked at is left out. */
export interface Visited {
  /** In their order, at least one. */
  readonly hops: readonly SeenHop[]
  /** What the last stop showed. */
  readonly page?: SeenPage | null
  readonly madeUp?: MadeUp | null
  /** The same by https, where that answers alike and is not used. */
  readonly twin?: string | null
  /** What was there when it was well the last time. */
  readonly was?: Pick<SeenPage, 'title' | 'print' | 'words'> | null
  /** Milliseconds that it took, where it was slow each of the last times. */
  readonly slowMs?: number | null
  /** Names of sections that links lead to there, and that the page does not have, though it was read to its end. */
  readonly sectionsMissing?: readonly string[]
  /** When it was seen (ISO 8601). */
  readonly at?: string
}
