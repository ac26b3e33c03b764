import type { Column } from './columns.ts'
import type { PlacementRows } from './rows.ts'

/** Rows, strings or characters looked at before somebody else may have a turn. */
const AT_ONCE = 20_000
/** So few strings are put into order by comparing them whole. */
const FEW = 24

/** Ranks of the strings that one column holds, without case. New ones are put among those that were there. */
export class Ranking {
  #sorted: Uint32Array<ArrayBuffer> = new Uint32Array(0)
  #ranks = new Uint32Array(0)
  #isSeen = new Uint8Array(0)
  #generation = -1
  /** What was begun and not ended. */
  #underWay: Generator<void> | null = null

  /** The numbers of strings in their order. They stay the same until {@link of} is asked again. */
  get sorted(): Uint32Array<ArrayBuffer> {
    return this.#sorted
  }

  /** By the number of a string, its place among those of the column. */
  of(rows: PlacementRows, column: Column): Uint32Array {
    for (const _ of this.getting(rows, column));
    return this.#ranks
  }

  /** Gets ready for that, a piece at a time; what was begun is gone on with. */
  *getting(rows: PlacementRows, column: Column): Generator<void> {
    if (rows.generation !== this.#generation) {
      this.#generation = rows.generation
      this.#sorted = new Uint32Array(0)
      this.#isSeen = new Uint8Array(0)
      this.#underWay = null
    }
    do {
      this.#underWay ??= this.#adding(rows, column)
      const generation = this.#generation
      while (this.#underWay.next().done !== true) {
        yield
        if (this.#underWay === null || this.#generation !== generation) return
      }
      this.#underWay = null
    } while (this.#isSeen.length < rows.strings.length)
  }

  *#adding({ strings, length }: PlacementRows, { data }: Column): Generator<void> {
    if (this.#isSeen.length < strings.length) {
      const grown = new Uint8Array(strings.length)
      grown.set(this.#isSeen)
      this.#isSeen = grown
    }
    const isSeen = this.#isSeen
    const codes: number[] = []
    for (let i = 0; i < length; i++) {
      const code = data[i] ?? 0
      if (isSeen[code] !== 1) {
        isSeen[code] = 1
        codes.push(code)
      }
      if (i % AT_ONCE === AT_ONCE - 1) yield
    }
    if (codes.length === 0) return
    const added = Uint32Array.from(codes)
    const lower = strings.lower()
    const isLess = (a: number, b: number): boolean => {
      const [left, right] = [lower[a] ?? '', lower[b] ?? '']
      return left === right ? (strings.values[a] ?? '') < (strings.values[b] ?? '') : left < right
    }
    yield* inOrder(added, lower, isLess)
    const before = this.#sorted
    const sorted = new Uint32Array(before.length + added.length)
    for (let k = 0, a = 0, b = 0; k < sorted.length; k++) {
      const [old, next] = [before[a], added[b]]
      const takesOld = old !== undefined && (next === undefined || isLess(old, next))
      sorted[k] = (takesOld ? old : next) ?? 0
      if (takesOld) a++
      else b++
      if (before.length > 0 && k % AT_ONCE === AT_ONCE - 1) yield
    }
    const ranks = new Uint32Array(strings.length)
    for (let k = 0; k < sorted.length; k++) ranks[sorted[k] ?? 0] = k
    this.#sorted = sorted
    this.#ranks = ranks
  }
}

/**
 * Puts strings into order, character by character: addresses of a site begin alike, and what is alike is looked at once (J. L. Bentley and
 * R. Sedgewick, "Fast Algorithms for Sorting and Searching Strings", 1997).
 * @param codes - their numbers, put into order in place
 * @param lower - by number
 * @param isLess - decides among few, and where `lower` says the same
 */
function* inOrder(codes: Uint32Array, lower: readonly string[], isLess: (a: number, b: number) => boolean): Generator<void> {
  const compare = (a: number, b: number): number => (isLess(a, b) ? -1 : 1)
  const charAt = (k: number, depth: number): number => {
    const text = lower[codes[k] ?? 0] ?? ''
    return depth < text.length ? text.charCodeAt(depth) : -1
  }
  const swap = (a: number, b: number): void => {
    const kept = codes[a] ?? 0
    codes[a] = codes[b] ?? 0
    codes[b] = kept
  }
  const open: [from: number, to: number, depth: number][] = [[0, codes.length, 0]]
  let looked = 0
  for (let part = open.pop(); part !== undefined; part = open.pop()) {
    const [from, to, depth] = part
    looked += to - from
    if (looked > AT_ONCE) {
      looked = 0
      yield
    }
    if (to - from <= FEW) {
      codes.subarray(from, to).sort(compare)
      continue
    }
    const pivot = charAt((from + to) >>> 1, depth)
    let [low, i, high] = [from, from, to]
    while (i < high) {
      const char = charAt(i, depth)
      if (char < pivot) swap(low++, i++)
      else if (char > pivot) swap(i, --high)
      else i++
    }
    if (low - from > 1) open.push([from, low, depth])
    if (to - high > 1) open.push([high, to, depth])
    if (pivot >= 0) open.push([low, high, depth + 1])
    else codes.subarray(low, high).sort(compare) // the same without case
  }
}
