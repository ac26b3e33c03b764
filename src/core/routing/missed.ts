import { tell } from '../../words/index.ts'
/** Why a request that nobody answered is no visitor who looked for a page. */
export const NOISE_KINDS = ['scanner', 'icon', 'probe', 'part of a page'] as const
export type NoiseKind = (typeof NOISE_KINDS)[number]

/** So many addresses one visitor asks for in vain, without one page seen, before it is taken for a program, inclusive. */
export const SCANNED_MIN = 20

/** The rule by which noise is told from missed pages, as it is told to people. */
export const NOISE_WORDS = [
  tell('missed.scanners', { most: SCANNED_MIN }),
  tell('missed.icons'),
  tell('missed.probes'),
  tell('missed.parts'),
] as const

const ICON = /^\/[^/]*icon[^/]*\.(?:ico|png|svg|gif|webp)$/i
/** RFC 8615, RFC 9309, and text for programs where they look for it. */
const PROBE = /^\/(?:\.well-known\/|[^/]+\.(?:txt|xml|xml\.gz|json|webmanifest)$)/i
const HIDDEN_OR_OUTSIDE = /\/\.(?!well-known\/)|%00|%2e%2e/i
const PART =
  /\.(?:png|jpe?g|gif|webp|avif|svg|ico|bmp|css|m?js|map|json|xml|txt|woff2?|ttf|otf|eot|mp[34]|m4a|ogg|webm|wav|avi|mov|zip|gz|rar|7z|dmg|apk|rss|atom|wasm)$/i

/** What kind of noise a request for a path is by its shape; null for one that a visitor may have made who looked for a page. @param path - as sent, without query */
export function noiseOf(path: string): NoiseKind | null {
  if (ICON.test(path)) return 'icon'
  if (PROBE.test(path)) return 'probe'
  if (HIDDEN_OR_OUTSIDE.test(path)) return 'scanner'
  return PART.test(path) ? 'part of a page' : null
}

/** Endings that a page or a document for people may have on any site. */
const READ_BY_PEOPLE = /^(?:x?html?|pdf|docx?|odt|rtf|xlsx?|ods|pptx?|odp|epub|csv|ics|gpx|kml)$/
const ENDING = /\.([a-z0-9]{1,8})$/i

/**
 * The ending of a path, small, where it says something: one that a site never had is asked for by programs alone.
 * @returns "" for a path without, and for pages and documents, which any site may have had
 */
export function tellingEnding(path: string): string {
  const ending = ENDING.exec(path)?.[1]?.toLowerCase() ?? ''
  return READ_BY_PEOPLE.test(ending) ? '' : ending
}

/** Whether a missing address may be answered by a page for people: never for what a page, a robot or a program asks for. */
export const isPageLike = (path: string, accept: string | undefined): boolean =>
  noiseOf(path) === null && (accept === undefined || accept === '' || /text\/html|\*\/\*/i.test(accept))
