import type { PatchSet } from '../../core/markup/index.ts'

/** Letters that were typed, or taken away, one after the other. Offsets count in the text after the last of them. */
export interface TypedRun {
  readonly way: 'in' | 'out'
  readonly from: number
  readonly to: number
  /** What was typed or taken last. */
  readonly last: string
  /** It belongs to the run before it. */
  readonly goesOn: boolean
}

/** More than this at once is no typing: it was pasted, dropped, or put in by a command. */
const TYPED_MAX_CHARS = 24
/** How far beside the place a key may change: a space there may have to be held, or be let go. */
const REACH_CHARS = 12
/** References as the one letter they stand for: a space that is held is a space. */
const visible = (source: string): string => source.replaceAll('&nbsp;', ' ').replace(/&(?:[a-z]+|#\w+);/gi, '&')

/** Two texts without what they share at their ends. */
function apart(a: string, b: string): [string, string] {
  const most = Math.min(a.length, b.length)
  let head = 0
  while (head < most && a[head] === b[head]) head++
  let tail = 0
  while (tail < most - head && a[a.length - 1 - tail] === b[b.length - 1 - tail]) tail++
  return [a.slice(head, a.length - tail), b.slice(head, b.length - tail)]
}

const endsInSpace = (text: string): boolean => /\s$/.test(text)
const beginsWithSpace = (text: string): boolean => /^\s/.test(text)

/**
 * Tells whether a change goes on with the word that is being typed or taken away. A word and the spaces behind it are one
 * run, however long somebody thinks between two letters.
 * @param before - the text it changes
 * @param last - the run before it, in the same text; null for none
 * @returns null for what was not typed
 */
export function typedRun(before: string, patches: PatchSet, last: TypedRun | null): TypedRun | null {
  const [patch] = patches
  if (patch === undefined || patches.length > 1) return null
  const { from, to, insert } = patch
  if (insert.length > TYPED_MAX_CHARS || to - from > TYPED_MAX_CHARS || insert.includes('<') || before.slice(from, to).includes('<'))
    return null
  const [gone, come] = apart(visible(before.slice(from, to)), visible(insert))
  const way = come.length >= gone.length ? 'in' : 'out'
  const what = way === 'in' ? come : gone
  const isNear = last !== null && (last.way === way || what === '') && from <= last.to + REACH_CHARS && to >= last.from - REACH_CHARS
  const beginsWord =
    last !== null && (way === 'in' ? endsInSpace(last.last) && !beginsWithSpace(what) : !beginsWithSpace(last.last) && endsInSpace(what))
  // What only holds a space, or lets it go, says nothing new.
  const kept: Pick<TypedRun, 'way' | 'last'> = what === '' && last !== null ? last : { way, last: what }
  return { way: kept.way, from, to: from + insert.length, last: kept.last, goesOn: isNear && (what === '' || !beginsWord) }
}
