import { decodeHTML } from 'entities'
import { isParagraph, sourceOffset, walkTags } from '../markup/index.ts'
import { eachWord } from './words.ts'

/** A stretch of text that readers see as one, without anything in it that may hold no new link. */
export interface ProsePiece {
  readonly text: string
  /** Counts the page's paragraphs as placements do. */
  readonly paragraph: number
  /** How many words of the page stand before it. */
  readonly wordsBefore: number
  /** Where its text runs begin: in the text and in the source. */
  readonly runs: readonly { readonly at: number; readonly source: number }[]
}

/** What a page says, where something could be linked. */
export interface Prose {
  readonly pieces: readonly ProsePiece[]
  /** Links that are there, by where their tags begin: their paragraph, and how many words stand before each and before its end. */
  readonly links: ReadonlyMap<number, { readonly at: number; readonly until: number; readonly paragraph: number }>
  readonly words: number
  /** Primary subtag of the page's language, lower case; "" where it names none. */
  readonly language: string
}

/** No link belongs in these: headings, links, code, quotes, forms, and what only leads through the site. */
const CLOSED =
  /^(?:a|h[1-6]|code|pre|kbd|samp|var|blockquote|q|cite|nav|footer|form|button|label|select|option|textarea|summary|figcaption|th|title|svg|math|iframe|object|audio|video|del|s)$/
const BREAKS = /^(?:br|hr|img|picture|table|ul|ol|dl)$/
const VOID = /^(?:area|base|br|col|embed|hr|img|input|link|meta|param|source|track|wbr)$/

/** Reads what of a page's text could be linked. Words of all its text are counted. */
export function readProse(html: string): Prose {
  const pieces: ProsePiece[] = []
  const links = new Map<number, { at: number; until: number; paragraph: number }>()
  let link: { at: number; until: number; paragraph: number } | null = null
  /** Names of the open elements that nothing may be linked in. */
  const closed: string[] = []
  let [paragraph, words, language] = [0, 0, '']
  let text = ''
  let runs: { at: number; source: number }[] = []
  const end = (): void => {
    if (text.trim() !== '') {
      pieces.push({ text, paragraph, wordsBefore: words, runs })
      eachWord(text, () => words++)
    }
    text = ''
    runs = []
  }
  walkTags(html, {
    open(name, start, nameEnd, tagEnd, inert) {
      if (inert) return
      if (name === 'html')
        language = /\blang\s*=\s*["']?\s*([a-z]{2,3})(?=[-"'\s>])/i.exec(html.slice(nameEnd, tagEnd))?.[1]?.toLowerCase() ?? ''
      if (isParagraph(name) || BREAKS.test(name) || CLOSED.test(name)) end()
      if (isParagraph(name)) {
        paragraph++
        // A paragraph ends what cannot hold one; a tag that was never closed must not close the rest of the page.
        while (closed.length > 0 && /^(?:a|h[1-6]|code|kbd|samp|var|q|cite|label|button|s)$/.test(closed.at(-1) ?? '')) closed.pop()
      }
      if (CLOSED.test(name) && !VOID.test(name)) closed.push(name)
      if (name === 'a' || name === 'area') {
        link = { at: words, until: words + 1, paragraph }
        links.set(start, link)
      }
    },
    close(name, _start, _end, inert) {
      if (inert) return
      if (isParagraph(name) || CLOSED.test(name) || BREAKS.test(name)) end()
      if (isParagraph(name)) paragraph++
      const at = closed.lastIndexOf(name)
      if (at !== -1) closed.length = at
      if (name === 'a' && link !== null) link.until = Math.max(words, link.at + 1)
    },
    text(start, stop, inert) {
      if (inert) return
      const shown = decodeHTML(html.slice(start, stop).replace(/\r\n?/g, '\n').replaceAll('\0', ''))
      if (closed.length > 0) return eachWord(shown, () => words++)
      runs.push({ at: text.length, source: start })
      text += shown
    },
  })
  end()
  return { pieces, links, words, language }
}

/** The paragraph that a place of the source is in: that of the text or link which begins last before it. Null before the first. */
export function paragraphAt({ pieces, links }: Prose, at: number): number | null {
  let nearest = { start: -1, paragraph: -1 }
  const meet = (start: number, paragraph: number): void => {
    if (start <= at && start > nearest.start) nearest = { start, paragraph }
  }
  for (const { runs, paragraph } of pieces) for (const { source } of runs) meet(source, paragraph)
  for (const [start, { paragraph }] of links) meet(start, paragraph)
  return nearest.start === -1 ? null : nearest.paragraph
}

/** Where a stretch of a piece's text stands in the source. */
export function sourceOf(html: string, { runs }: ProsePiece, from: number, to: number): { readonly from: number; readonly to: number } {
  const at = (place: number, isEnd: boolean): number => {
    let run = runs[0]
    for (const each of runs) if (isEnd ? each.at < place : each.at <= place) run = each
    return run === undefined ? 0 : sourceOffset(html, run.source, place - run.at)
  }
  return { from: at(from, false), to: at(to, true) }
}

/** Places where words are looked for. */
const OTHER_WORDS_MAX = 50

/**
 * Where other words of the same sentence stand, those nearest to a stretch of the source.
 * @param words - white space counts as one blank
 * @returns null where they do not stand there
 */
export function otherWords(
  html: string,
  near: { readonly from: number; readonly to: number },
  words: string,
): { readonly from: number; readonly to: number } | null {
  const wanted = words
    .trim()
    .split(/\s+/)
    .map((word) => word.replace(/[.*+?^${}()|[\]\\]/g, '\\$&'))
  const pattern = new RegExp(wanted.join('\\s+'), 'g')
  let best: { from: number; to: number; far: number } | null = null
  let looked = 0
  for (const piece of readProse(html).pieces)
    for (const { 0: found, index } of piece.text.matchAll(pattern)) {
      if (++looked > OTHER_WORDS_MAX) return best
      const place = sourceOf(html, piece, index, index + found.length)
      const [first, last] = place.from < near.from ? [place.from, near.to] : [near.from, place.to]
      if (!isOneSentence(html.slice(first, last))) continue
      const far = Math.abs(place.from - near.from)
      if (best === null || far < best.far) best = { ...place, far }
    }
  return best
}

/** Whether a stretch of source says no more than one sentence of one paragraph. */
const isOneSentence = (source: string): boolean =>
  !/[.!?…]["”’)]?\s/.test(source.replace(/<[^>]*>/g, '')) &&
  ![...source.matchAll(/<\/?([a-z0-9]+)/gi)].some(([, name = '']) => isParagraph(name.toLowerCase()))

/** The sentence that a stretch of a piece stands in, and where in it. */
export function sentenceIn(
  { text }: ProsePiece,
  from: number,
  to: number,
): { readonly before: string; readonly words: string; readonly behind: string } {
  const begin = Math.max(text.slice(0, from).search(/[.!?…]["”’)]?\s+(?!.*[.!?…]["”’)]?\s)/s), -1)
  const behind = /[.!?…]["”’)]?(?=\s|$)/.exec(text.slice(to))
  const start = Math.max(begin === -1 ? 0 : begin + 1, from - SENTENCE_SIDE_MAX_CHARS)
  const end = Math.min(behind === null ? text.length : to + behind.index + behind[0].length, to + SENTENCE_SIDE_MAX_CHARS)
  const plain = (part: string): string => part.replace(/\s+/g, ' ')
  return {
    before: plain(text.slice(start, from)).replace(/^["”’)]*\s/, ''),
    words: plain(text.slice(from, to)),
    behind: plain(text.slice(to, end)).trimEnd(),
  }
}
/** Of a sentence so much is shown on either side, in characters. */
const SENTENCE_SIDE_MAX_CHARS = 160
