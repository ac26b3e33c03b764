import { walkTags } from './tokenizer.ts'

/** Elements that begin a paragraph and end one, as placements are counted by. */
export const isParagraph = (name: string): boolean => PARAGRAPH.test(name)
const PARAGRAPH = /^(?:p|div|h[1-6]|li|td|th|blockquote|section|article|main|header|footer|aside|nav|figcaption|caption|dt|dd|pre|body)$/

/** Where an element stands in a page. Offsets are UTF-16 code units, ends exclusive. */
export interface ElementSpan {
  readonly start: number
  readonly contentStart: number
  readonly contentEnd: number
  readonly end: number
}

/**
 * The first element of a name in a page's content, as its tags are written.
 * @param until - its first end tag; or the last of that name in the page, for what a page has once
 * @returns null where there is none, or it has no end tag
 */
export function firstElement(html: string, wanted: string, until: 'first' | 'last' = 'first'): ElementSpan | null {
  let open: { start: number; end: number } | null = null
  let span: ElementSpan | null = null
  walkTags(html, {
    open(name, start, _nameEnd, end, inert) {
      if (name === wanted && !inert) open ??= { start, end }
    },
    close(name, start, end, inert) {
      if (name !== wanted || inert || open === null || (span !== null && until === 'first')) return
      span = { start: open.start, contentStart: open.end, contentEnd: start, end }
    },
  })
  return span
}
