import { decodeHTML } from 'entities'
import { type LinkTag, walkTags } from '../markup/index.ts'

const BLOCK_END =
  /^(?:p|div|h[1-6]|li|td|th|blockquote|section|article|main|header|footer|aside|nav|figcaption|caption|dt|dd|pre|table|ul|ol|br|hr)$/
/** Longest sentence shown, in characters. */
const SENTENCE_MAX_CHARS = 300

/** The sentence that a link stands in, as readers see it: white space folded, cut to {@link SENTENCE_MAX_CHARS}. */
export function sentenceAround(html: string, link: LinkTag): string {
  let block = ''
  let at = -1
  let isOver = false
  walkTags(html, {
    open(name, start) {
      if (!isOver && BLOCK_END.test(name)) brk(start)
    },
    close(name, start) {
      if (!isOver && BLOCK_END.test(name)) brk(start)
    },
    text(start, end, inert) {
      if (isOver || inert) return
      if (at === -1 && start >= link.end) at = block.length
      block += decodeHTML(html.slice(start, end)).replace(/\s+/g, ' ')
    },
  })
  function brk(place: number): void {
    if (at !== -1) isOver = true
    else if (place <= link.start) block = ''
  }
  if (at === -1) return ''
  let from = 0
  for (const { segment, index } of new Intl.Segmenter('en', { granularity: 'sentence' }).segment(block)) {
    if (index + segment.length <= at && segment.length > 0) {
      from = index + segment.length
      continue
    }
    return cut(segment.trim(), at - index)
  }
  return cut(block.slice(from).trim(), 0)
}

function cut(sentence: string, around: number): string {
  if (sentence.length <= SENTENCE_MAX_CHARS) return sentence
  const from = Math.max(0, Math.min(around - SENTENCE_MAX_CHARS / 2, sentence.length - SENTENCE_MAX_CHARS))
  return `${from > 0 ? '…' : ''}${sentence.slice(from, from + SENTENCE_MAX_CHARS)}…`
}
