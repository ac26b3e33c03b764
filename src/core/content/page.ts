import { normalise } from '../address/index.ts'
import { decodeSource, linkText, namedAddresses, pageTitle, scanLinks, sniffEncoding } from '../markup/index.ts'
import { readMenu, renderMenu } from '../menus/index.ts'
import { type WrittenLink, writtenLink } from '../rules/index.ts'
import { writtenForOf } from './deliver.ts'

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
  /** The partner that it says it is written for. */
  readonly writtenFor: string | null
  /** Files of the site that it names: paths, or "//host/path" where it names the host. */
  readonly uses: readonly string[]
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
export function readPage(bytes: Uint8Array, encoding: string = sniffEncoding(bytes).encoding, path = '/'): PageContent {
  const text = decodeSource(bytes, encoding)
  return { ...readMarkup(text, path), encoding }
}

function readMarkup(text: string, path: string): Omit<PageContent, 'encoding'> {
  const page = scanLinks(text)
  const placements = page.links.map((link, ordinal) => ({
    ...writtenLink(text, link, page),
    ordinal,
    start: link.start,
    end: link.end,
    tag: text.slice(link.start, Math.min(link.end, link.start + TAG_MAX_CHARS)),
    text: linkText(text, link),
  }))
  return { text, title: pageTitle(text), placements, writtenFor: writtenForOf(text), uses: usesOf(text, path) }
}

/** A menu as content: its links are those that readers get. */
export function readMenuContent(bytes: Uint8Array): PageContent {
  const html = renderMenu(readMenu(decodeSource(bytes, 'utf-8')).entries)
  return { ...readMarkup(html, '/'), encoding: 'utf-8', title: null }
}

const NO_HOST = 'http://site.invalid'

function usesOf(text: string, path: string): readonly string[] {
  const base = path.startsWith('/') ? `${NO_HOST}${path}` : `${NO_HOST}/`
  const found = new Set<string>()
  for (const address of namedAddresses(text)) {
    const url = URL.canParse(address, base) ? new URL(address, base) : null
    if (url === null || !/^https?:$/.test(url.protocol)) continue
    found.add(url.origin === NO_HOST ? url.pathname : `//${url.hostname}${url.pathname}`)
  }
  return [...found]
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
