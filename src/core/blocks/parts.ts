import { applyPatches, type Patch, type PatchSet, walkTags } from '../markup/index.ts'

/** A shared part is named in a page by a comment: `<!-- block: footer -->`, `<!-- menu: main -->`. */
const PART = /<!--\s*(block|menu):\s*([a-z0-9]+(?:-[a-z0-9]+)*)\s*-->/g

/** Finds what a shared part shows; null when there is none of that name. */
export type PartFinder = (kind: 'block' | 'menu', name: string) => string | null

/** Parts may hold parts, this deep; deeper ones, and those that hold themselves, are left out. */
const DEPTH_MAX = 4

export const partMark = (kind: 'block' | 'menu', name: string): string => `<!-- ${kind}: ${name} -->`

/** Tells whether a part can have this name. */
export const isPartName = (name: string): boolean => /^[a-z0-9]+(?:-[a-z0-9]+)*$/.test(name) && name.length <= 60

interface PartMark {
  readonly kind: 'block' | 'menu'
  readonly name: string
  readonly from: number
  readonly to: number
}

/** Where a page puts shared parts in. Comments within scripts, styles and other raw text are none. */
export function partMarks(html: string): readonly PartMark[] {
  const marks = [...html.matchAll(PART)].map((match) => ({
    kind: match[1] === 'menu' ? ('menu' as const) : ('block' as const),
    name: match[2] ?? '',
    from: match.index,
    to: match.index + match[0].length,
  }))
  if (marks.length === 0) return marks
  // A comment is handed over as nothing at all: whatever lies between two pieces that are handed over may be one.
  const gaps: { from: number; to: number }[] = []
  let at = 0
  const take = (start: number, end: number): void => {
    if (start > at) gaps.push({ from: at, to: start })
    at = Math.max(at, end)
  }
  let raw: number | null = null
  walkTags(html, {
    open(name, start, _nameEnd, end) {
      take(start, end)
      raw = RAW.has(name) ? end : null
    },
    close(_name, start, end) {
      if (raw !== null) at = Math.max(at, start)
      raw = null
      take(start, end)
    },
    text: take,
  })
  take(html.length, html.length)
  return marks.filter(({ from, to }) => gaps.some((gap) => gap.from <= from && to <= gap.to))
}

const RAW = new Set(['script', 'style', 'title', 'textarea', 'xmp', 'iframe', 'noembed', 'noframes', 'noscript', 'plaintext'])

/**
 * The patches that put shared parts into a page. A part that is not there leaves its comment, which shows nothing.
 * Never empty-handed: a page without parts gives no patches.
 */
export function expandParts(html: string, find: PartFinder, depth = 0, inside: readonly string[] = []): PatchSet {
  if (depth >= DEPTH_MAX) return []
  const patches: Patch[] = []
  for (const { kind, name, from, to } of partMarks(html)) {
    const key = `${kind} ${name}`
    const part = inside.includes(key) ? null : find(kind, name)
    if (part !== null) patches.push({ from, to, insert: applyPatches(part, expandParts(part, find, depth + 1, [...inside, key])) })
  }
  return patches
}
