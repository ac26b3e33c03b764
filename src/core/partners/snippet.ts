import { escapeText } from 'entities'
import { type Said, saysSame, type Told, tell } from '../../words/index.ts'
import { parseUrl } from '../address/index.ts'
import {
  type Attribute,
  attributeNamed,
  attributeValue,
  escapeAttribute,
  linkText,
  readAttributes,
  scanLinks,
  valueNamed,
  walkTags,
} from '../markup/index.ts'
import { fail, ok, type Result } from '../result.ts'

/** Longest pasted code, in characters, inclusive. */
export const SNIPPET_MAX_CHARS = 50_000
/** Most reasons told. */
const REMOVED_MAX = 50
/** Pictures of so many pixels or fewer are there to count, not to be seen. */
const PIXEL_MAX = 3
const SIDE_MAX = 10_000

/** A banner or text link as it is kept: nothing else of the pasted code is. */
export interface CleanSnippet {
  /** Absolute, http or https. */
  readonly href: string
  /** Words of the link; "" for a picture without any. */
  readonly text: string
  readonly picture: SnippetPicture | null
  /** What was left out, in the order it stood in. */
  readonly removed: readonly { readonly what: Said; readonly why: Told }[]
}
export interface SnippetPicture {
  readonly src: string
  readonly alt: string
  /** In pixels; null where the code does not say. */
  readonly width: number | null
  readonly height: number | null
}

/** Elements that run, load or follow, and what is said of them. */
const REFUSED: ReadonlyMap<string, Told> = new Map([
  ['script', tell('snippet.script')],
  ['noscript', tell('snippet.for-script')],
  ['iframe', tell('snippet.frame')],
  ['object', tell('snippet.program')],
  ['embed', tell('snippet.program')],
  ['form', tell('snippet.form')],
  ['style', tell('snippet.style')],
  ['link', tell('snippet.loads-for-page')],
  ['meta', tell('snippet.speaks-for-page')],
  ['base', tell('snippet.changes-addresses')],
  ['svg', tell('snippet.drawing')],
  ['video', tell('snippet.other-site')],
  ['audio', tell('snippet.other-site')],
])

/**
 * Reads pasted banner code and keeps a link and its picture: addresses, words and sizes, never markup. Scripts, counting
 * pictures, handlers and styles are named and left out.
 * @returns 'no-link-left' where nothing is left that could be linked, with what was removed
 */
export function cleanSnippet(html: string): Result<CleanSnippet, 'no-link-left' | 'snippet-too-long'> {
  if (html.length > SNIPPET_MAX_CHARS) return fail('snippet-too-long', { most: SNIPPET_MAX_CHARS })
  const removed: { what: Said; why: Told }[] = []
  const remove = (what: Said, why: Told): void => {
    if (removed.length < REMOVED_MAX && !removed.some((each) => saysSame(each.what, what) && saysSame(each.why, why)))
      removed.push({ what, why })
  }
  const pictures: { at: number; picture: SnippetPicture }[] = []
  walkTags(html, {
    open(name, start, nameEnd, _end, inert) {
      const why = REFUSED.get(name)
      if (why !== undefined) return remove(`<${name}>`, why)
      if (inert) return
      const attributes = readAttributes(html, nameEnd)
      for (const attribute of attributes) {
        if (/^on/i.test(attribute.name)) remove(attribute.name, tell('snippet.runs'))
        else if (attribute.name === 'style') remove('style', tell('snippet.own-look'))
        else if (name === 'a' && attribute.name === 'ping') remove('ping', tell('snippet.tells-clicks'))
      }
      if (name !== 'img') return
      const picture = pictureOf(html, attributes)
      if (picture === null) return remove('<img>', tell('snippet.no-picture-address'))
      const [width, height] = [picture.width ?? SIDE_MAX, picture.height ?? SIDE_MAX]
      if (Math.min(width, height) <= PIXEL_MAX || isHidden(html, attributes))
        return remove(tell('snippet.picture-of', { host: hostOf(picture.src) }), tell('snippet.unseen'))
      pictures.push({ at: start, picture })
    },
  })
  const { links } = scanLinks(html)
  let kept: CleanSnippet | null = null
  const taken = new Set<number>()
  for (const link of links) {
    const href = webAddress(link.href)
    if (href === null) {
      remove(tell('snippet.link-to', { to: link.href.slice(0, 60) }), tell('snippet.no-web-address'))
      continue
    }
    if (kept !== null) {
      remove(tell('snippet.link-to', { to: hostOf(href) }), tell('snippet.one-link'))
      continue
    }
    const inside = pictures.filter(({ at }) => at >= link.end && at < link.contentEnd)
    for (const { at } of inside.slice(0, 1)) taken.add(at)
    const picture = inside[0]?.picture ?? null
    const text = linkText(html, link)
    kept = { href, text: picture !== null && text === picture.alt ? '' : text, picture, removed: [] }
  }
  for (const { at, picture } of pictures)
    if (!taken.has(at)) remove(tell('snippet.picture-of', { host: hostOf(picture.src) }), tell('snippet.outside-link'))
  return kept === null ? fail('no-link-left', { removed }) : ok({ ...kept, removed })
}

function pictureOf(html: string, attributes: readonly Attribute[]): SnippetPicture | null {
  const src = webAddress(valueNamed(html, attributes, 'src') ?? '')
  if (src === null) return null
  const side = (name: string): number | null => {
    const attribute = attributeNamed(attributes, name)
    const found = attribute === null ? null : /^\s*(\d{1,5})(?:px)?\s*$/.exec(attributeValue(html, attribute))
    return found === null ? null : Math.min(Number(found[1]), SIDE_MAX)
  }
  return { src, alt: (valueNamed(html, attributes, 'alt') ?? '').trim().slice(0, 300), width: side('width'), height: side('height') }
}

const isHidden = (html: string, attributes: readonly Attribute[]): boolean =>
  /display\s*:\s*none|visibility\s*:\s*hidden/i.test(valueNamed(html, attributes, 'style') ?? '') ||
  attributeNamed(attributes, 'hidden') !== null

/** Absolute http or https; null for anything else. An address without a scheme is a secure one. */
function webAddress(written: string): string | null {
  const trimmed = written.trim()
  const url = parseUrl(trimmed.startsWith('//') ? `https:${trimmed}` : trimmed)
  return url === null || !/^https?:$/.test(url.protocol) || url.username !== '' || url.password !== '' ? null : url.href
}

const hostOf = (address: string): string => parseUrl(address)?.hostname ?? address

/** A banner as it goes into a page's source. */
export function bannerMarkup({ href, text, picture }: Pick<CleanSnippet, 'href' | 'text' | 'picture'>): string {
  const side = (name: string, pixels: number | null): string => (pixels === null ? '' : ` ${name}="${pixels}"`)
  const inside =
    picture === null
      ? escapeText(text)
      : `<img src="${escapeAttribute(picture.src)}" alt="${escapeAttribute(picture.alt)}"${side('width', picture.width)}${side('height', picture.height)}>`
  return `<a href="${escapeAttribute(href)}">${inside}</a>`
}
