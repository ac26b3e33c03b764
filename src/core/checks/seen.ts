/** Why asking an address outside ended without an answer. */
export const ASK_FAULTS = [
  'this-machine',
  'private-network',
  'no-name',
  'nobody-answers',
  'broke-off',
  'certificate',
  'not-in-time',
  'too-slow',
  'unreachable',
] as const
export type AskFault = (typeof ASK_FAULTS)[number]

/** Why a visit went no further at a stop, besides what the status there says. */
export const STOP_FAULTS = [...ASK_FAULTS, 'no-short-link', 'no-page', 'told-gone', 'no-address', 'in-a-circle', 'too-many-hops'] as const
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
}
