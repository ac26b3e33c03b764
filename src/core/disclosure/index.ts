import { decodeHTML, escapeText } from 'entities'
import { escapeAttribute, isParagraph, type Patch, readAttributes, valueNamed, walkTags } from '../markup/index.ts'

/** The words by which a site tells its readers of paid links, and where in a page they stand. */
export interface DisclosureWords {
  /** Plain words; "" where the site has none yet. */
  readonly text: string
  /** "above": right above the first paid link's paragraph. "top": below the page's title. */
  readonly place: 'above' | 'top'
  /** Language of the words, as a primary subtag; "" for the page's own. */
  readonly language: string
}

/** What a site tells its readers about paid links. */
export interface Disclosure extends DisclosureWords {
  /** Plain words in front of the words of each paid link, as it is delivered; "" for none. */
  readonly short: string
  /** Pages that lack it, or tell it too late, get it as they are delivered; what is stored stays. */
  readonly isDelivered: boolean
  /** Pages that come through a front door get both, as far as they can be told while a page passes. */
  readonly isAtDoors: boolean
}

/** Of a site that tells its readers nothing yet. */
export const NO_DISCLOSURE: Disclosure = { text: '', place: 'above', language: '', short: '', isDelivered: false, isAtDoors: false }

/** How a page stands with its paid links: whether it tells of them, and in time. */
export const DISCLOSURE_STATES = ['not needed', 'well', 'lacking', 'too late', 'outdated'] as const
export type DisclosureState = (typeof DISCLOSURE_STATES)[number]

/** By this attribute an element is known for the site's disclosure; nobody else's text is taken for one. */
const MARK = 'data-disclosure'

export interface FoundDisclosure {
  readonly state: DisclosureState
  /** The element, of the source; null where there is none. */
  readonly at: { readonly from: number; readonly to: number } | null
}

/**
 * How a page stands.
 * @param firstPaid - source offset of the first paid link; null for none
 */
export function disclosureOf(html: string, { text }: DisclosureWords, firstPaid: number | null): FoundDisclosure {
  const found = markedIn(html)
  const at = found === null ? null : { from: found.from, to: found.to }
  if (firstPaid === null) return { state: 'not needed', at }
  if (found === null) return { state: 'lacking', at }
  if (found.from > firstPaid) return { state: 'too late', at }
  return { state: found.words === plainWords(text) ? 'well' : 'outdated', at }
}

const plainWords = (text: string): string => text.replace(/\s+/g, ' ').trim()

function markedIn(html: string): { from: number; to: number; words: string } | null {
  if (!html.includes(MARK)) return null
  let open: { name: string; from: number; depth: number } | null = null
  let words = ''
  let found: { from: number; to: number; words: string } | null = null
  walkTags(html, {
    open(name, start, nameEnd, _end, inert) {
      if (inert || found !== null) return
      if (open !== null) {
        if (name === open.name) open.depth++
      } else if (valueNamed(html, readAttributes(html, nameEnd), MARK) !== null) open = { name, from: start, depth: 1 }
    },
    close(name, _start, end, inert) {
      if (inert || open === null || name !== open.name || --open.depth > 0) return
      found ??= { from: open.from, to: end, words: plainWords(words) }
      open = null
    },
    text(start, end, inert) {
      if (!inert && open !== null && found === null) words += decodeHTML(html.slice(start, end))
    },
  })
  return found
}

/**
 * The disclosure within a line: in front of a link, wherever that stands. For pages that pass, of which nobody knows what is to come.
 * An element of its own, so that who listens to the page hears what it is.
 */
export function inlineDisclosure({ text, language }: DisclosureWords): string {
  return text.trim() === '' ? '' : `<span role="note"${langOf(language)}>${escapeText(plainWords(text))}</span> `
}

/** The short form, as it stands in front of a link's words: it is read as a part of the link. */
export function shortDisclosure({ short, language }: Disclosure): string {
  return short.trim() === '' ? '' : `<small${langOf(language)}>${escapeText(plainWords(short))}</small> `
}

const langOf = (language: string): string => (language === '' ? '' : ` lang="${escapeAttribute(language)}"`)

/** The disclosure as it stands in a page: a note, so that who listens to a page hears what it is. */
export function disclosureMarkup({ text, language }: DisclosureWords): string {
  return `<p role="note" ${MARK}${langOf(language)}>${escapeText(plainWords(text))}</p>`
}

/**
 * The patches that put a page right: the disclosure added, moved above the first paid link, or brought up to date; none where
 * nothing is to be done. Nothing else of the page changes.
 */
export function mendDisclosure(html: string, disclosure: DisclosureWords, firstPaid: number | null): readonly Patch[] {
  const { state, at } = disclosureOf(html, disclosure, firstPaid)
  if (firstPaid === null || state === 'well' || disclosure.text.trim() === '') return []
  const markup = disclosureMarkup(disclosure)
  if (state === 'outdated' && at !== null) return [{ ...at, insert: markup }]
  const place = placeFor(html, disclosure.place, firstPaid)
  const patches: Patch[] = [{ from: place, to: place, insert: `${markup}\n` }]
  if (at !== null) patches.push({ from: at.from, to: pastLineEnd(html, at.to), insert: '' })
  return patches.sort((a, b) => a.from - b.from)
}

const pastLineEnd = (html: string, at: number): number => at + (/^\r?\n/.exec(html.slice(at, at + 2))?.[0].length ?? 0)

/** Elements that no paragraph can stand in: it goes in front of them. */
const TIGHT = /^(?:p|h[1-6]|li|ul|ol|dl|dt|dd|table|caption|thead|tbody|tfoot|tr|td|th|figure|figcaption|pre|blockquote)$/

/** Where the words go in: in front of the outermost paragraph, list or table around the first paid link, or below the title. */
function placeFor(html: string, place: DisclosureWords['place'], firstPaid: number): number {
  const open: { name: string; start: number }[] = []
  let outermost = firstPaid
  let belowTitle: number | null = null
  let isDone = false
  walkTags(html, {
    open(name, start, _nameEnd, _end, inert) {
      if (inert || isDone) return
      if (start >= firstPaid) {
        const tight = open.find((each) => TIGHT.test(each.name))
        outermost = tight?.start ?? firstPaid
        isDone = true
        return
      }
      // A paragraph ends where the next block begins, also without an end tag.
      if (isParagraph(name) || TIGHT.test(name)) while (open.at(-1)?.name === 'p') open.pop()
      if (isParagraph(name) || TIGHT.test(name)) open.push({ name, start })
    },
    close(name, _start, end, inert) {
      if (inert || isDone) return
      const at = open.findLastIndex((each) => each.name === name)
      if (at !== -1) open.length = at
      if (name === 'h1' && belowTitle === null) belowTitle = end
    },
  })
  return place === 'top' && belowTitle !== null && belowTitle <= outermost ? belowTitle : outermost
}
