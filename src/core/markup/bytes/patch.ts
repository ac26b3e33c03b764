import { fail, ok, type Result } from '../../result.ts'

/** Replaces the text between `from` and `to` (UTF-16 code units, end exclusive) by `insert`. */
export interface Patch {
  readonly from: number
  readonly to: number
  readonly insert: string
}

/** Patches that apply to one text together: in order of place, none overlapping another. Offsets are those of the text before. */
export type PatchSet = readonly Patch[]

/** Applies a patch set. Everything outside the patches is the same text. @throws RangeError when patches overlap or leave the text */
export function applyPatches(text: string, patches: PatchSet): string {
  if (patches.length === 0) return text
  const parts: string[] = []
  let at = 0
  for (const { from, to, insert } of patches) {
    if (from < at || to < from || to > text.length) throw new RangeError('Patches must stand in order, inside the text')
    parts.push(text.slice(at, from), insert)
    at = to
  }
  parts.push(text.slice(at))
  return parts.join('')
}

/** The patch set that undoes `patches`, for the text they lead to. */
export function invertPatches(text: string, patches: PatchSet): PatchSet {
  let shift = 0
  return patches.map(({ from, to, insert }) => {
    const start = from + shift
    shift += insert.length - (to - from)
    return { from: start, to: start + insert.length, insert: text.slice(from, to) }
  })
}

/** Tells whether a patch set could be applied to a text of `length`. */
export function isApplicable(patches: PatchSet, length: number): boolean {
  let at = 0
  for (const { from, to } of patches) {
    if (from < at || to < from || to > length) return false
    at = to
  }
  return true
}

/** The one patch that leads from `before` to `after`: what lies between their common start and common end. */
export function differenceOf(before: string, after: string): Patch | null {
  if (before === after) return null
  const most = Math.min(before.length, after.length)
  let start = 0
  while (start < most && before.charCodeAt(start) === after.charCodeAt(start)) start++
  let end = 0
  while (end < most - start && before.charCodeAt(before.length - 1 - end) === after.charCodeAt(after.length - 1 - end)) end++
  return { from: start, to: before.length - end, insert: after.slice(start, after.length - end) }
}

/**
 * Moves patches made on `base` onto `theirs`, another text made from `base`.
 * @returns patches for `theirs`; refused when both changed the same place
 */
export function rebasePatches(base: string, theirs: string, mine: PatchSet): Result<PatchSet, 'same-place-changed'> {
  const change = differenceOf(base, theirs)
  if (change === null) return ok(mine)
  const shift = change.insert.length - (change.to - change.from)
  const moved: Patch[] = []
  for (const patch of mine) {
    if (patch.to < change.from) moved.push(patch)
    else if (patch.from > change.to) moved.push({ ...patch, from: patch.from + shift, to: patch.to + shift })
    else return fail('same-place-changed', { from: patch.from, to: patch.to })
  }
  return ok(moved)
}
