import { isbot } from 'isbot'

/** Who clicked: a person, a bot, a browser loading ahead, a program asking for headers only, or somebody in more of a rush than people are. Only people count. */
export const VISITS = ['person', 'bot', 'prefetch', 'head', 'rush'] as const
export type Visit = (typeof VISITS)[number]

/** What is not told apart any more of where people came from: no referrer, language or device is called so. */
export const OTHER_SOURCES = '~'

export const DEVICES = ['phone', 'tablet', 'computer', 'other'] as const
export type Device = (typeof DEVICES)[number]

/** What of a request tells who asked. Header values as sent; undefined when absent. */
export interface VisitSigns {
  readonly method: string
  readonly userAgent: string | undefined
  /** `Sec-Purpose` (Fetch standard), or the older `Purpose` and `X-Moz`. */
  readonly purpose: string | undefined
}

/** Tells people from everything else that asks. A request without a user agent is a bot's. */
export function visitOf({ method, userAgent, purpose }: VisitSigns): Visit {
  if (method === 'HEAD') return 'head'
  if (purpose !== undefined && /prefetch|prerender|preview/i.test(purpose)) return 'prefetch'
  return userAgent === undefined || userAgent === '' || isbot(userAgent) ? 'bot' : 'person'
}

/** The sort of device a user agent names, coarse on purpose: it is for a chart, not for telling people apart. */
export function deviceOf(userAgent: string | undefined): Device {
  if (userAgent === undefined) return 'other'
  if (/iPad|Tablet|Android(?!.*Mobile)/i.test(userAgent)) return 'tablet'
  if (/Mobi|iPhone|Android/i.test(userAgent)) return 'phone'
  return /Windows|Macintosh|Linux|X11|CrOS/i.test(userAgent) ? 'computer' : 'other'
}

/** First language a reader asks for, as its primary subtag ("en"); null when none is named (RFC 9110 §12.5.4). */
export function languageOf(acceptLanguage: string | undefined): string | null {
  return /^\s*([a-z]{2,3})(?:-|;|,|\s|$)/i.exec(acceptLanguage ?? '')?.[1]?.toLowerCase() ?? null
}

/** Host of a referrer, lower case; null when there is none or it is no web address. */
export function referrerHost(referrer: string | undefined): string | null {
  return /^https?:\/\/([^/?#:@\s]{1,253})(?:[:/?#]|$)/i.exec(referrer ?? '')?.[1]?.toLowerCase() ?? null
}
