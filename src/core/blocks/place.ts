import { type Patch, walkTags } from '../markup/index.ts'

/** Where a shared part can be put on a page that does not name a place for it. */
export type PartPlace = 'before the text' | 'behind the text' | 'at the end of the page'

/**
 * The patch that puts a shared part on a page: at the start or the end of its `main` (else of its `body`), or right before
 * the body ends.
 * @param mark - the comment that names the part
 * @returns null where the page has no such place
 */
export function placeFor(html: string, where: PartPlace, mark: string): Patch | null {
  const starts = new Map<string, number>()
  const ends = new Map<string, number>()
  walkTags(html, {
    open(name, _start, _nameEnd, end, inert) {
      if (!inert && (name === 'main' || name === 'body') && !starts.has(name)) starts.set(name, end)
    },
    close(name, start, _end, inert) {
      if (!inert && (name === 'main' || name === 'body')) ends.set(name, start)
    },
  })
  const at =
    where === 'before the text'
      ? (starts.get('main') ?? starts.get('body'))
      : where === 'behind the text'
        ? (ends.get('main') ?? ends.get('body'))
        : ends.get('body')
  if (at === undefined) return null
  return { from: at, to: at, insert: where === 'before the text' ? `\n${mark}` : `${mark}\n` }
}
