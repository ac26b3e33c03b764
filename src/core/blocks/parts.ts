import { applyPatches, type Patch, type PatchSet, walkTags } from '../markup/index.ts'

/** A shared part is named in a page by a comment: `<!-- block: footer -->`, `<!-- menu: main -->`. */
const PART = /^<!--\s*(block|menu):\s*([a-z0-9]+(?:-[a-z0-9]+)*)\s*-->$/

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

/** Where a page's content puts shared parts in. What looks so within scripts, styles, other raw text and templates is none. */
export function partMarks(html: string): readonly PartMark[] {
  if (!html.includes('<!--')) return []
  const marks: PartMark[] = []
  walkTags(html, {
    comment(from, to, inert) {
      const [, kind, name] = (inert ? null : PART.exec(html.slice(from, to))) ?? []
      if (name !== undefined) marks.push({ kind: kind === 'menu' ? 'menu' : 'block', name, from, to })
    },
  })
  return marks
}

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
