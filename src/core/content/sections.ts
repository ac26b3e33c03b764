import { decodeHTML } from 'entities'
import { type Patch, readAttributes, valueNamed, walkTags } from '../markup/index.ts'
import { hyphenated } from '../slugs/index.ts'

/** A heading of a page. Offsets are of the source. */
export interface Heading {
  readonly level: number
  readonly text: string
  /** Its name in the page; null when it has none, neither its own nor by an anchor in it. */
  readonly id: string | null
  readonly start: number
  readonly nameEnd: number
}

/** Every heading of a page in source order. */
export function scanHeadings(html: string): readonly Heading[] {
  const found: Heading[] = []
  let open: { -readonly [K in keyof Heading]: Heading[K] } | null = null
  walkTags(html, {
    open(name, start, nameEnd, _end, inert) {
      if (inert) return
      const level = /^h([1-6])$/.exec(name)?.[1]
      const attributes = level !== undefined || (open !== null && open.id === null) ? readAttributes(html, nameEnd) : []
      const id = valueNamed(html, attributes, 'id') ?? (name === 'a' ? valueNamed(html, attributes, 'name') : null)
      if (level !== undefined) open = { level: Number(level), text: '', id: id === '' ? null : id, start, nameEnd }
      else if (open !== null && id !== null && id !== '') open.id = id
    },
    close(name) {
      if (open === null || !/^h[1-6]$/.test(name)) return
      found.push({ ...open, text: open.text.replace(/\s+/g, ' ').trim() })
      open = null
    },
    text(start, end, inert) {
      if (open !== null && !inert) open.text += decodeHTML(html.slice(start, end))
    },
  })
  return found.filter(({ text }) => text !== '')
}

/** Longest name given to a heading, in characters. */
const ID_MAX_CHARS = 60

/** Every name that an element of a page has. */
export function namesIn(html: string): ReadonlySet<string> {
  const names = new Set<string>()
  walkTags(html, {
    open(name, _start, nameEnd) {
      const attributes = readAttributes(html, nameEnd)
      const id = valueNamed(html, attributes, 'id')
      if (id !== null) names.add(id)
      const anchor = name === 'a' ? valueNamed(html, attributes, 'name') : null
      if (anchor !== null) names.add(anchor)
    },
  })
  return names
}

/** The patch that gives a heading a name of its own, made of its words; null when no heading starts there or it has one. */
export function nameHeading(html: string, start: number): { readonly id: string; readonly patch: Patch } | null {
  const headings = scanHeadings(html)
  const heading = headings.find((each) => each.start === start)
  if (heading === undefined || heading.id !== null) return null
  const taken = namesIn(html)
  const stem = hyphenated(heading.text, 'any').slice(0, ID_MAX_CHARS) || 'section'
  let id = stem
  for (let n = 2; taken.has(id); n++) id = `${stem}-${n}`
  return { id, patch: { from: heading.nameEnd, to: heading.nameEnd, insert: ` id="${id}"` } }
}
