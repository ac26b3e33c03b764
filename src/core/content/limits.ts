import { walkTags } from '../markup/index.ts'

const MB = 1024 * 1024

/** Largest page taken, inclusive: a long book in one page has a quarter of it. */
export const PAGE_MAX_BYTES = 8 * MB
/** Most links of one page, inclusive. */
export const PAGE_LINKS_MAX = 20_000
/** Deepest nesting of elements, inclusive; browsers themselves stop at about half of it. */
export const PAGE_DEPTH_MAX = 1_000
/** Deepest nesting of lists and quotes, inclusive. */
export const LIST_DEPTH_MAX = 100

export type PageFault = 'page-too-large' | 'page-too-many-links' | 'page-too-deep' | 'page-lists-too-deep'

/** What of a page has a limit. */
export interface PageMeasure {
  readonly bytes: number
  readonly links: number
  readonly depth: number
  readonly listDepth: number
}

/** What is too much of a page, wherever it comes from; null where it can be taken. */
export function tooMuchOf({ bytes, links, depth, listDepth }: PageMeasure): PageFault | null {
  if (bytes > PAGE_MAX_BYTES) return 'page-too-large'
  if (links > PAGE_LINKS_MAX) return 'page-too-many-links'
  if (listDepth > LIST_DEPTH_MAX) return 'page-lists-too-deep'
  return depth > PAGE_DEPTH_MAX ? 'page-too-deep' : null
}

/** What of a text has a limit, as far as it can be told in one walk over its tags. */
export function measureOf(html: string): PageMeasure {
  const gauge = new DepthGauge()
  let links = 0
  walkTags(html, {
    open(name, _start, _nameEnd, _end, inert) {
      if (inert) return
      gauge.enter(name)
      if (name === 'a' || name === 'area') links++
    },
    close: (name, _start, _end, inert) => void (inert || gauge.leave(name)),
  })
  return { bytes: new TextEncoder().encode(html).length, links, depth: gauge.depth, listDepth: gauge.listDepth }
}

/** Elements that are closed by what follows, or hold nothing: open ones say nothing of how deep a page is. */
const UNNESTED = new Set(
  'area base br col colgroup dd dt embed hr img input li link meta optgroup option p param rp rt source tbody td tfoot th thead tr track wbr'.split(
    ' ',
  ),
)
const LISTS = new Set(['ul', 'ol', 'menu', 'dir', 'dl', 'blockquote'])

/** Counts how deep a page is nested, from its tags in their order. */
export class DepthGauge {
  readonly #open = new Map<string, number>()
  #depth = 0
  #lists = 0
  /** The deepest so far. */
  depth = 0
  listDepth = 0

  enter(name: string): void {
    if (UNNESTED.has(name)) return
    this.#open.set(name, (this.#open.get(name) ?? 0) + 1)
    this.depth = Math.max(this.depth, ++this.#depth)
    if (LISTS.has(name)) this.listDepth = Math.max(this.listDepth, ++this.#lists)
  }

  leave(name: string): void {
    const open = this.#open.get(name) ?? 0
    if (open === 0) return
    this.#open.set(name, open - 1)
    this.#depth--
    if (LISTS.has(name)) this.#lists--
  }
}
