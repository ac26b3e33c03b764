import { decodeHTML } from 'entities'
import { type Attribute, attributeNamed, attributeValue, readAttributes, valueNamed, walkTags } from '../tags/index.ts'

/** One link start tag (`a` or `area` with a destination) and what hangs in it. Offsets are UTF-16 code units. */
export interface LinkTag {
  readonly element: 'a' | 'area'
  /** Of the start tag: "<" … past ">". */
  readonly start: number
  readonly end: number
  readonly nameEnd: number
  readonly attributes: readonly Attribute[]
  /** The destination as the HTML standard reads it, ends trimmed; may be empty. In SVG `xlink:href` where `href` is absent. */
  readonly href: string
  readonly rel: string | null
  readonly target: string | null
  /** Where the content ends: the start of `</a>`, of whatever ends the link instead, or of the end of the page. */
  readonly contentEnd: number
  /** Past `</a>`; equals `contentEnd` when the link has no end tag of its own. */
  readonly outerEnd: number
  readonly hasText: boolean
  readonly hasPicture: boolean
  /** Within SVG or MathML. */
  readonly isForeign: boolean
}

/** Every link of a page in source order, and what `base` says for all of them. */
export interface PageLinks {
  readonly links: readonly LinkTag[]
  /** The first `base` with an address, as written; null when there is none. */
  readonly baseHref: string | null
  /** The first `base` with a target; null when there is none. */
  readonly baseTarget: string | null
}

/** Start tags whose attributes matter here. */
const LINKING: ReadonlySet<string> = new Set(['a', 'area', 'base'])

type Open = { -readonly [K in keyof LinkTag]: LinkTag[K] }

/**
 * Finds the links of a page. What stands in comments, scripts, styles, `template`, `textarea`, `title`, CDATA or other raw
 * text is no link (PRODUCT 6.4). A second `a` ends the one before, as in the HTML standard.
 */
export function scanLinks(html: string): PageLinks {
  const links: Open[] = []
  let open: Open | null = null
  let outside: Open | null = null
  let baseHref: string | null = null
  let baseTarget: string | null = null
  const shut = (contentEnd: number, outerEnd: number): void => {
    if (open === null) return
    open.contentEnd = contentEnd
    open.outerEnd = outerEnd
    open = null
  }
  walkTags(html, {
    wants: LINKING,
    open(name, start, nameEnd, end, inert, foreign, attributes) {
      if (inert) return
      if (name === 'a' || (name === 'area' && !foreign)) {
        if (name === 'a') shut(start, start)
        const link = linkTag(html, name, attributes, { start, nameEnd, end, foreign })
        if (link === null) return
        links.push(link)
        if (name === 'a') open = link
      } else if (open !== null && (name === 'img' || name === 'svg' || name === 'picture')) open.hasPicture = true
      else if (name === 'base' && !foreign && (baseHref === null || baseTarget === null)) {
        baseHref ??= valueNamed(html, attributes, 'href')
        baseTarget ??= valueNamed(html, attributes, 'target')
      }
    },
    apart(begins, at) {
      if (begins) outside = open
      else shut(at, at)
      open = begins ? null : outside
    },
    close(name, start, end, inert) {
      if (name === 'a' && !inert) shut(start, end)
    },
    text(start, end, inert) {
      if (open !== null && !inert && !open.hasText && !isBlank(html, start, end)) open.hasText = true
    },
  })
  shut(html.length, html.length)
  return { links, baseHref, baseTarget }
}

function linkTag(
  html: string,
  element: 'a' | 'area',
  attributes: readonly Attribute[],
  { start, nameEnd, end, foreign }: { start: number; nameEnd: number; end: number; foreign: boolean },
): Open | null {
  const href = attributeNamed(attributes, 'href') ?? (foreign ? attributeNamed(attributes, 'xlink:href') : null)
  if (href === null) return null
  return {
    element,
    start,
    end,
    nameEnd,
    attributes,
    href: attributeValue(html, href).trim(),
    rel: valueNamed(html, attributes, 'rel'),
    target: valueNamed(html, attributes, 'target'),
    contentEnd: end,
    outerEnd: end,
    hasText: false,
    hasPicture: false,
    isForeign: foreign,
  }
}

function isBlank(html: string, start: number, end: number): boolean {
  for (let i = start; i < end; i++) if (html.charCodeAt(i) > 0x20) return false
  return true
}

/** Longest anchor text kept, in characters; a link around a whole article would otherwise carry it along. */
export const LINK_TEXT_MAX_CHARS = 300

/**
 * What a link shows: its words with white space folded, else the alternative text of its pictures, else "".
 * Cut to {@link LINK_TEXT_MAX_CHARS}.
 */
export function linkText(html: string, link: LinkTag): string {
  if (link.element === 'area') return valueNamed(html, link.attributes, 'alt') ?? ''
  const slice = html.slice(link.end, link.contentEnd)
  if (!slice.includes('<'))
    return fold(decodeHTML(slice.length > 4 * LINK_TEXT_MAX_CHARS ? slice.slice(0, 4 * LINK_TEXT_MAX_CHARS) : slice))
  let words = ''
  let alt = ''
  walkTags(slice, {
    open(name, _start, nameEnd) {
      if (name === 'img') alt += ` ${valueNamed(slice, readAttributes(slice, nameEnd), 'alt') ?? ''}`
      if (name === 'br') words += ' '
    },
    text(start, end) {
      if (words.length < LINK_TEXT_MAX_CHARS) words += decodeHTML(slice.slice(start, end))
    },
  })
  return fold(words) || fold(alt)
}

const fold = (text: string): string => text.replace(/\s+/g, ' ').trim().slice(0, LINK_TEXT_MAX_CHARS)
