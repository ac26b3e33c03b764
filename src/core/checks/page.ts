import { decodeHTML } from 'entities'
import { parseUrl, siteOfHost } from '../address/index.ts'
import { readAttributes, valueNamed, walkTags } from '../markup/index.ts'
import { foldedWords } from '../slugs/index.ts'
import { saysForSale, saysMissing } from './missing-words.ts'

/** Why a page may be one that sells its name. One of them alone says nothing. */
export const PARKED_SIGNS = ['says-for-sale', 'little-text', 'named-as-its-host', 'frame-alone', 'links-lead-away'] as const
export type ParkedSign = (typeof PARKED_SIGNS)[number]

/** What a page showed of itself. */
export interface SeenPage {
  readonly title: string | null
  /** Its text as 64 bits, of which texts alike have most in common; see {@link isAlike}. */
  readonly print: string
  /** Words of its text, as far as it was read. */
  readonly words: number
  /** Title or first heading say that there is nothing. */
  readonly saysMissing: boolean
  readonly parked: readonly ParkedSign[]
}

/** Text and words that are looked at: enough to tell one page from another. */
const TEXT_MAX_CHARS = 60_000
const WORDS_MAX = 2_000
const TITLE_MAX_CHARS = 200
/** A page of fewer words says little by itself. */
const LITTLE_WORDS = 60
const LINKS_LEAST = 5
const AWAY_SHARE = 0.8

const plain = (text: string): string => text.replace(/\s+/g, ' ').trim()

/**
 * Reads what a page shows of itself, as far as it was sent.
 * @param address - absolute, at which it was found
 */
export function seenPage(html: string, address: string): SeenPage {
  let [title, heading, text] = ['', '', '']
  let titleStart = -1
  let isInHeading = false
  let [links, away, frames] = [0, 0, 0]
  const own = siteOfHost(parseUrl(address)?.hostname ?? '')
  walkTags(html, {
    open(name, _start, nameEnd, end, inert, foreign) {
      if (inert) return
      if (name === 'title' && !foreign && title === '') titleStart = end
      if (name === 'h1' && heading === '') isInHeading = true
      if (name === 'iframe' || name === 'frame') frames++
      if (name !== 'a') return
      const to = parseUrl(valueNamed(html, readAttributes(html, nameEnd), 'href') ?? '', address)
      if (to === null || !/^https?:$/.test(to.protocol)) return
      links++
      if (siteOfHost(to.hostname) !== own) away++
    },
    close(name, start) {
      if (name === 'title' && titleStart !== -1) {
        title = html.slice(titleStart, start)
        titleStart = -1
      }
      if (name === 'h1') isInHeading = false
    },
    text(start, end, inert) {
      if (inert) return
      const part = html.slice(start, end)
      if (isInHeading) heading += part
      if (text.length < TEXT_MAX_CHARS) text += `${part} `
    },
  })
  const [shown, named] = [plain(decodeHTML(title)).slice(0, TITLE_MAX_CHARS), plain(decodeHTML(heading))]
  const words = foldedWords(decodeHTML(text)).slice(0, WORDS_MAX)
  const parked = new Set<ParkedSign>()
  if (saysForSale([...foldedWords(shown), ...words])) parked.add('says-for-sale')
  if (words.length < LITTLE_WORDS) parked.add('little-text')
  if (isNamedAsHost(shown, address)) parked.add('named-as-its-host')
  if (frames > 0 && words.length < LITTLE_WORDS / 4) parked.add('frame-alone')
  if (links >= LINKS_LEAST && away / links >= AWAY_SHARE && words.length < 2 * LITTLE_WORDS) parked.add('links-lead-away')
  return {
    title: shown !== '' ? shown : named === '' ? null : named.slice(0, TITLE_MAX_CHARS),
    print: printOf(words),
    words: words.length,
    saysMissing: saysMissing(foldedWords(shown)) || saysMissing(foldedWords(named)),
    parked: PARKED_SIGNS.filter((sign) => parked.has(sign)),
  }
}

const isNamedAsHost = (title: string, address: string): boolean => {
  const host = parseUrl(address)?.hostname.replace(/^www\./, '') ?? ''
  return host !== '' && title.toLowerCase().replace(/^www\./, '') === host
}

/** Two parts of a 64-bit number. */
type Bits = [high: number, low: number]

/** FNV-1a (draft-eastlake-fnv), 32 bits, from a start of one's own. */
function fnv(text: string, start: number): number {
  let hash = start
  for (let i = 0; i < text.length; i++) hash = Math.imul(hash ^ text.charCodeAt(i), 0x01000193)
  return hash >>> 0
}

/** A similarity hash (Charikar 2002) of neighbouring words: texts that share most of them share most of its bits. */
function printOf(words: readonly string[]): string {
  const weights = new Int32Array(64)
  for (let i = 0; i < words.length; i++) {
    const pair = `${words[i] ?? ''} ${words[i + 1] ?? ''}`
    const bits: Bits = [fnv(pair, 0x811c9dc5), fnv(pair, 0x9747b28c)]
    for (let bit = 0; bit < 64; bit++) {
      const isSet = (((bits[bit >>> 5] ?? 0) >>> (bit & 31)) & 1) === 1
      weights[bit] = (weights[bit] ?? 0) + (isSet ? 1 : -1)
    }
  }
  const print: Bits = [0, 0]
  for (let bit = 0; bit < 64; bit++) if ((weights[bit] ?? 0) > 0) print[bit >>> 5] = ((print[bit >>> 5] ?? 0) | (1 << (bit & 31))) >>> 0
  return print.map((half) => half.toString(16).padStart(8, '0')).join('')
}

/** In how many of 64 bits two prints differ. */
function differing(a: string, b: string): number {
  let count = 0
  for (const at of [0, 8])
    for (let bits = Number.parseInt(a.slice(at, at + 8), 16) ^ Number.parseInt(b.slice(at, at + 8), 16); bits !== 0; bits &= bits - 1)
      count++
  return count
}

type Text = Pick<SeenPage, 'title' | 'print' | 'words'>
const ALIKE_BITS = 8
const OTHER_BITS = 20

/** Whether two pages say the same, but for some words: a clock, an advertisement. */
export const isAlike = (a: Text, b: Text): boolean =>
  a.title === b.title && Math.abs(a.words - b.words) <= 0.2 * Math.max(a.words, b.words, 10) && differing(a.print, b.print) <= ALIKE_BITS

/** Whether a page has become another one: neither its title nor its text is left. */
export function isAnother(before: Text, now: Text): boolean {
  if (before.title === null || now.title === null) return false
  const kept = new Set(foldedWords(before.title).filter((word) => word.length > 2))
  if (kept.size === 0 || foldedWords(now.title).some((word) => kept.has(word))) return false
  return differing(before.print, now.print) > OTHER_BITS
}
