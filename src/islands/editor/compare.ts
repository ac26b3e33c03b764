import { diffArrays, diffLines, diffWordsWithSpace } from 'diff'
import { decodeHTML } from 'entities'
import { readAttributes, valueNamed, walkTags } from '../../core/markup/index.ts'

/** A stretch of two versions: in both, only in the older, or only in the newer. */
export interface Piece {
  readonly text: string
  readonly what: 'same' | 'went' | 'came'
}

const BLOCK =
  /^(?:p|div|h[1-6]|li|td|th|tr|table|blockquote|section|article|main|header|footer|aside|nav|figcaption|figure|caption|dt|dd|pre|ul|ol|body|hr|br)$/

/** What readers see of a page, block by block: words, where links lead, and what pictures show. */
function shownBlocks(html: string): string[] {
  const blocks: string[] = []
  let block = ''
  const end = (): void => {
    const text = block.replace(/\s+/g, ' ').trim()
    if (text !== '') blocks.push(text)
    block = ''
  }
  walkTags(html, {
    open(name, _start, nameEnd, _end, inert) {
      if (inert) return
      if (BLOCK.test(name)) end()
      if (name === 'img') block += ` [picture: ${valueNamed(html, readAttributes(html, nameEnd), 'alt') ?? ''}] `
      const href = name === 'a' ? valueNamed(html, readAttributes(html, nameEnd), 'href') : null
      if (href !== null) block += ` ⟨${href}⟩ `
    },
    close(name) {
      if (BLOCK.test(name)) end()
    },
    text(start, stop, inert) {
      if (!inert) block += decodeHTML(html.slice(start, stop))
    },
  })
  end()
  return blocks
}

const pieces = (changes: readonly { value: string; added: boolean; removed: boolean }[]): Piece[] =>
  changes.map(({ value, added, removed }) => ({ text: value, what: added ? 'came' : removed ? 'went' : 'same' }))

/** The blocks that differ as readers see them, word by word. */
export function comparePages(before: string, after: string): readonly (readonly Piece[])[] {
  const found: Piece[][] = []
  const changes = diffArrays(shownBlocks(before), shownBlocks(after))
  for (let i = 0; i < changes.length; i++) {
    const [change, next] = [changes[i], changes[i + 1]]
    if (change === undefined || (!change.added && !change.removed)) continue
    if (change.removed && next?.added === true) {
      // A block that was changed rather than replaced is shown as one, with its words compared.
      const most = Math.max(change.value.length, next.value.length)
      for (let n = 0; n < most; n++) {
        const [old, now] = [change.value[n], next.value[n]]
        if (old !== undefined && now !== undefined) found.push(pieces(diffWordsWithSpace(old, now)))
        else if (old !== undefined) found.push([{ text: old, what: 'went' }])
        else if (now !== undefined) found.push([{ text: now, what: 'came' }])
      }
      i++
    } else for (const text of change.value) found.push([{ text, what: change.added ? 'came' : 'went' }])
  }
  return found
}

/** Lines of source shown around each change. */
const AROUND = 2

/** The lines of source that differ, with a few around them. */
export function compareSources(before: string, after: string): readonly (readonly Piece[])[] {
  const changes = diffLines(before, after)
  const found: Piece[][] = []
  changes.forEach(({ value, added, removed }, i) => {
    if (added || removed) {
      const twin = removed ? changes[i + 1] : changes[i - 1]
      if (added && twin?.removed === true) return // shown with the lines it replaces
      if (removed && twin?.added === true) found.push(pieces(diffWordsWithSpace(value, twin.value)))
      else found.push([{ text: value, what: added ? 'came' : 'went' }])
      return
    }
    const lines = value.split('\n')
    const isFirst = i === 0
    const isLast = i === changes.length - 1
    if (changes.length === 1) return
    const head = isFirst ? [] : lines.slice(0, AROUND)
    const tail = isLast ? [] : lines.slice(-AROUND - 1)
    const text =
      lines.length <= 2 * AROUND + 2 && !isFirst && !isLast ? value : [...head, ...(isFirst || isLast ? [] : ['…']), ...tail].join('\n')
    if (text.trim() !== '') found.push([{ text, what: 'same' }])
  })
  return found
}
