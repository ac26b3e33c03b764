import { normalise, type Surroundings } from '../address/index.ts'
import { decodeSource, linkText, pageTitle, patchBytes, scanLinks, sniffEncoding } from '../markup/index.ts'
import { ok, type Result } from '../result.ts'
import { type CompiledRule, type DeliveredLink, deliverPage, type ShortLinkFinder, type WrittenLink, writtenLink } from '../rules/index.ts'

/** Longest start tag kept with a placement, in characters; longer ones are shown cut off. */
export const TAG_MAX_CHARS = 2_000

/** One link in one spot of a page, as its source has it. Offsets are UTF-16 code units of the decoded source. */
export interface FoundPlacement extends WrittenLink {
  /** Counts the links of a page from 0. */
  readonly ordinal: number
  readonly start: number
  readonly end: number
  /** The start tag as written, cut to {@link TAG_MAX_CHARS}. */
  readonly tag: string
  readonly text: string
}

/** What a page's bytes say. */
export interface PageContent {
  readonly encoding: string
  readonly text: string
  /** Null when the page names itself nowhere. */
  readonly title: string | null
  readonly placements: readonly FoundPlacement[]
}

/**
 * Reads a page.
 * @param encoding - when it is known already; found in the bytes otherwise
 */
export function readPage(bytes: Uint8Array, encoding: string = sniffEncoding(bytes).encoding): PageContent {
  const text = decodeSource(bytes, encoding)
  const page = scanLinks(text)
  const placements = page.links.map((link, ordinal) => ({
    ...writtenLink(text, link, page),
    ordinal,
    start: link.start,
    end: link.end,
    tag: text.slice(link.start, Math.min(link.end, link.start + TAG_MAX_CHARS)),
    text: linkText(text, link),
  }))
  return { encoding, text, title: pageTitle(text), placements }
}

/** A page's bytes as visitors get them, and what was decided for each link. */
export interface DeliveredBytes {
  readonly bytes: Uint8Array
  readonly links: readonly DeliveredLink[]
}

/**
 * Applies the rules to a stored page. Bytes outside the changed start tags are the same bytes.
 * @param around - `page` is the page's own address
 */
export function deliverBytes(
  bytes: Uint8Array,
  encoding: string,
  rules: readonly CompiledRule[],
  around: Surroundings,
  findShortLink: ShortLinkFinder,
): Result<DeliveredBytes, 'encoding-unpatchable'> {
  const text = decodeSource(bytes, encoding)
  const page = deliverPage(text, rules, around, findShortLink)
  const patched = patchBytes(bytes, encoding, text, page.patches)
  return patched.ok ? ok({ bytes: patched.value, links: page.delivered }) : patched
}

const PAGE_NAME = /\.(?:html?|xhtml|shtml)$/i

/**
 * The path a file of an uploaded site answers under: "islands/index.html" is "/islands/", other names stay whole, so
 * that relative links keep working.
 * @param name - with "/" between folders, no leading one
 */
export function pathForName(name: string): string {
  const escaped = name.replaceAll('%', '%25').replaceAll('?', '%3F').replaceAll('#', '%23').replaceAll('\\', '%5C')
  const address = normalise(`http://site.invalid/${escaped}`)
  const path = address === null ? `/${escaped}` : address.slice('http://site.invalid'.length)
  return path.replace(/\/index\.html?$/i, '/')
}

/** Tells whether a file name is a page's. */
export const isPageName = (name: string): boolean => PAGE_NAME.test(name)

/** The file name for a page that came without one: "/islands/" is "islands/index.html". */
export function nameForPath(path: string): string {
  const bare = path.replace(/^\/+/, '')
  if (bare === '' || bare.endsWith('/')) return `${bare}index.html`
  return isPageName(bare) ? bare : `${bare}.html`
}
