import { type Told, tell } from '../../words/index.ts'
import { normalise, withoutIndex } from '../address/index.ts'
import { decodeSource, isParagraph, linkText, namedAddresses, pageTitle, scanLinks, sniffEncoding, walkTags } from '../markup/index.ts'
import { readMenu, renderMenu } from '../menus/index.ts'
import { type WrittenLink, writtenLink } from '../rules/index.ts'
import { DepthGauge } from './limits.ts'

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
  /** Counts the page's paragraphs, headings, items and the like from 1; links of one paragraph have the same. */
  readonly paragraph: number
}

/** What a page's bytes say. */
export interface PageContent {
  /** How many words a reader sees. */
  readonly words: number
  /** How deep its elements are nested, and its lists. */
  readonly depth: number
  readonly listDepth: number
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
  const { starts, words, depth, listDepth } = paragraphsOf(text)
  let paragraph = 0
  const placements = page.links.map((link, ordinal) => {
    while (paragraph < starts.length && (starts[paragraph] ?? 0) <= link.start) paragraph++
    return {
      ...writtenLink(text, link, page),
      ordinal,
      start: link.start,
      end: link.end,
      tag: text.slice(link.start, Math.min(link.end, link.start + TAG_MAX_CHARS)),
      text: linkText(text, link),
      paragraph,
    }
  })
  return {
    text,
    title: pageTitle(text),
    placements,
    words,
    depth,
    listDepth,
    uses: usesOf(text, path),
  }
}

/** Where each paragraph begins: behind a block's start tag, and again behind its end. Words are counted on the way. */
function paragraphsOf(html: string): { starts: readonly number[]; words: number; depth: number; listDepth: number } {
  const starts: number[] = []
  const gauge = new DepthGauge()
  let words = 0
  walkTags(html, {
    open(name, start, _nameEnd, _end, inert) {
      if (!inert) gauge.enter(name)
      if (isParagraph(name)) starts.push(start)
    },
    close(name, start, _end, inert) {
      if (!inert) gauge.leave(name)
      if (isParagraph(name)) starts.push(start)
    },
    text(start, end, inert) {
      if (inert) return
      let isWord = false
      for (let i = start; i < end; i++) {
        const isSpaceHere = html.charCodeAt(i) <= 0x20
        if (!isSpaceHere && !isWord) words++
        isWord = !isSpaceHere
      }
    },
  })
  return { starts, words, depth: gauge.depth, listDepth: gauge.listDepth }
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
  return withoutIndex(path)
}

/** Programs, and pages that only a server of their own could run: a site of files does not serve them. */
const PROGRAM =
  /\.(?:exe|msi|com|bat|cmd|ps1|vbs|scr|pif|lnk|dll|so|dylib|jar|apk|ipa|app|dmg|deb|rpm|iso|img|bin|sh|bash|php\d?|phtml|phar|asp|aspx|ashx|jsp|jspx|cgi|pl|py|rb|htaccess|htpasswd|env|pem|key)$/i

/** Why a site does not serve a file of this name; null where it does. */
export function whyNotServed(name: string): Told | null {
  const ending = PROGRAM.exec(name)?.[0]
  return ending === undefined ? null : tell('page.program-ending', { ending: ending.toLowerCase() })
}

/** Tells whether a file name is a page's. */
export const isPageName = (name: string): boolean => PAGE_NAME.test(name)

/** The file name for a page that came without one: "/islands/" is "islands/index.html". */
export function nameForPath(path: string): string {
  const bare = path.replace(/^\/+/, '')
  if (bare === '' || bare.endsWith('/')) return `${bare}index.html`
  return isPageName(bare) ? bare : `${bare}.html`
}
