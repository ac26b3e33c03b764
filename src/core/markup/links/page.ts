import { decodeHTML } from 'entities'
import { walkTags } from '../tags/index.ts'

/** Longest title kept, in characters. */
export const TITLE_MAX_CHARS = 300

/**
 * What a page calls itself: its `title`, else its first heading, else null. White space folded, cut to {@link TITLE_MAX_CHARS}.
 */
export function pageTitle(html: string): string | null {
  let titleStart = -1
  let title = ''
  let heading = ''
  let headingDepth = 0
  let isHeadingDone = false
  walkTags(html, {
    open(name, _start, _nameEnd, end, inert, foreign) {
      if (name === 'title' && !inert && !foreign && title === '') titleStart = end
      if (name === 'h1' && !isHeadingDone) headingDepth++
    },
    close(name, start) {
      if (name === 'title' && titleStart !== -1) {
        title = html.slice(titleStart, start)
        titleStart = -1
      }
      if (name === 'h1' && headingDepth > 0) {
        headingDepth = 0
        isHeadingDone = heading.trim() !== ''
      }
    },
    text(start, end) {
      if (headingDepth > 0) heading += html.slice(start, end)
    },
  })
  const found = [title, heading]
    .map((text) => decodeHTML(text).replace(/\s+/g, ' ').trim().slice(0, TITLE_MAX_CHARS))
    .find((text) => text !== '')
  return found ?? null
}

/** Tells whether a text is an HTML page rather than some other file with an HTML name: it holds at least one tag, or is plain prose. */
export function looksLikeHtml(text: string): boolean {
  const head = text.slice(0, 4096)
  const controls = head.match(/[\u0000-\u0008\u000e-\u001a\u001c-\u001f]/g)?.length ?? 0
  return controls <= head.length / 20
}
