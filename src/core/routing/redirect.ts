import { tell } from '../../words/index.ts'
import type { Device } from '../clicks/index.ts'

/** How a row says which addresses it means. */
export const REDIRECT_MATCHES = ['exact', 'under', 'pattern', 'expression'] as const
export type RedirectMatch = (typeof REDIRECT_MATCHES)[number]

/** Statuses a row can answer with (RFC 9110 §15.4 and §15.5.11, RFC 7725). The last two lead nowhere. */
export const REDIRECT_STATUSES = [301, 302, 303, 307, 308, 410, 451] as const
export type RedirectStatus = (typeof REDIRECT_STATUSES)[number]

/** Whether an answer of this status sends somewhere. */
export const leadsOn = (status: RedirectStatus): boolean => status < 400

/**
 * What becomes of the query that was asked with: "drop" leaves it off, "pass" puts it behind the destination's own, "merge"
 * does so with those parameters that the destination does not set itself.
 */
export const QUERY_HABITS = ['drop', 'pass', 'merge'] as const
export type QueryHabit = (typeof QUERY_HABITS)[number]

/** When a row may answer at all. What is left out asks for nothing. */
export interface RedirectConditions {
  /** Parameters that have to be there, as they read when decoded; null for any value. */
  readonly query?: readonly { readonly name: string; readonly value: string | null }[]
  /** There are no other parameters than these. */
  readonly noOtherQuery?: boolean
  /** Primary subtags ("de"), of which the visitor's first language is one. */
  readonly languages?: readonly string[]
  readonly devices?: readonly Device[]
  /** UTC, in milliseconds; from inclusive, until exclusive. */
  readonly fromMs?: number
  readonly untilMs?: number
}

/** A row of a site's redirects, as a person set it. */
export interface Redirect {
  readonly id: string
  /** On which hosts it answers; none for all that the site's own pages stand on. Lower case. */
  readonly hosts: readonly string[]
  readonly match: RedirectMatch
  /**
   * A path that begins with "/", as people read it or percent-encoded; of "pattern" one in the syntax of URL Pattern's
   * pathname, of "expression" a regular expression (RE2) that is looked for in the path as people read it.
   */
  readonly from: string
  readonly when: RedirectConditions
  /**
   * A path of the site, or an absolute address; "" where the status leads nowhere. "$1", "$2" … are what groups caught in
   * their order, "$name" what the group of that name did, "$$" a dollar sign. Of "under", "$1" is what comes behind the
   * path, "$rest" the same with its slash, and a destination that ends with "/" gets it at its end.
   */
  readonly to: string
  readonly status: RedirectStatus
  readonly query: QueryHabit
  /** Answers although a page is published there. */
  readonly beatsPages: boolean
  /** Its place in the table. */
  readonly order: number
}

/** How a site takes addresses that are nearly those of a row. Percent-encoding never tells two apart. */
export interface Tolerance {
  /** "/Old" is "/old". */
  readonly ignoresCase: boolean
  /** "/old/" is "/old". */
  readonly ignoresSlash: boolean
}

/** The widest, by which rows are filed: what a site does not tolerate is sorted out among those that are found. Also what sites begin with. */
export const TOLERANCE: Tolerance = { ignoresCase: true, ignoresSlash: true }

/** The order in which rows are asked, as it is told to people. The first that holds answers. */
export const PRECEDENCE = [
  tell('precedence.pages'),
  tell('precedence.conditions'),
  tell('precedence.matches'),
  tell('precedence.longest'),
  tell('precedence.hosts'),
  tell('precedence.order'),
] as const

/** Orders in which a table is shown: its own, by address, by hits, by the last hit, by when rows were made. */
export const REDIRECT_ORDERS = ['table', 'from', 'hits', 'last', 'newest'] as const

/** How a list of redirects is written: a table, JSON, or configuration of either web server. */
export const LIST_FORMATS = ['csv', 'json', 'httpd', 'nginx'] as const

/**
 * Most rows, inclusive, that are found by the same path, of "everything under" by the same, of patterns by the same text (see
 * `neededText`), or by none, so that every request asks them; and most patterns and expressions of a site.
 */
export const ROWS_AT_ONE_PATH_MAX = 500
export const ROWS_UNDER_ONE_PATH_MAX = 30
export const PATTERNS_BY_ONE_TEXT_MAX = 40
export const PATTERNS_MAX = 10_000
