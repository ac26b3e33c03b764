import { Haystack, type Marks } from './haystack.ts'

/** So often all strings are looked through before an index of them is made. */
const LOOKS_MAX = 4

/** Strings put into lower case before somebody else may have a turn. */
const LOWERED_AT_ONCE = 10_000

/** Words of which it is kept which strings hold them: a bit a string each. */
const HELD_MAX = 32

interface Held {
  readonly marks: Marks
  /** So many strings were looked through. */
  readonly length: number
}

/** Strings by number, each kept once. */
export class Numbered {
  readonly values: string[]
  /** Made when it is first asked for: a list that is only read again needs none. */
  #numbers: Map<string, number> | null = null
  #few: Map<string, number> | null = null
  #looks = 0
  readonly #lower: string[] = []
  #haystack: Haystack | null = null
  /** By a word that was asked for. */
  readonly #held = new Map<string, Held>()

  constructor(values: string[] = []) {
    this.values = values
  }

  /**
   * Gets ready for a few values to be asked for: looking through all strings once costs a tenth of an index of them. After
   * some times the index is made all the same.
   */
  expect(values: Iterable<string>): void {
    if (this.#numbers !== null) return
    const few = new Map<string, number>()
    for (const value of values) few.set(value, -1)
    if (few.size > this.values.length / 10 || this.#looks++ >= LOOKS_MAX) return
    for (let i = 0; i < this.values.length; i++) {
      const value = this.values[i] ?? ''
      if (few.has(value)) few.set(value, i)
    }
    this.#few = few
  }

  /** The number of a value, which is given one if it has none yet. */
  numberOf(value: string): number {
    const found = this.find(value)
    if (found !== -1) return found
    const number = this.values.push(value) - 1
    this.#numbers?.set(value, number)
    if (this.#few?.has(value) === true) this.#few.set(value, number)
    return number
  }

  /** @returns -1 for a value that has no number */
  find(value: string): number {
    const expected = this.#few?.get(value)
    if (expected !== undefined) return expected
    if (this.#numbers === null) {
      this.#few = null
      this.#numbers = new Map()
      for (let i = 0; i < this.values.length; i++) this.#numbers.set(this.values[i] ?? '', i)
    }
    return this.#numbers.get(value) ?? -1
  }

  get length(): number {
    return this.values.length
  }

  /** All of them in lower case, by number. Most are so already, and then the same strings. */
  lower(): readonly string[] {
    for (const _ of this.#lowering());
    return this.#lower
  }

  /** Gets ready for words to be looked for, a stretch at a time. */
  *gettingReady(): Generator<void> {
    yield* this.#lowering()
    this.#haystack ??= new Haystack()
    yield* this.#haystack.taking(this.#lower)
  }

  /**
   * Sets a bit for each string that holds a word, whatever the case. Words asked for of late are not looked for again, but in what came since:
   * whoever types, narrows or puts into order asks for the same.
   * @param word - in lower case, without line ends
   * @param found - by number
   */
  mark(word: string, bit: number, found: Uint8Array | Uint32Array): void {
    const { marks } = this.#holding(word)
    for (let at = 0; at < marks.length; at++) {
      let eight = marks[at] ?? 0
      for (let number = at << 3; eight !== 0; number++, eight >>>= 1) if ((eight & 1) === 1) found[number] = (found[number] ?? 0) | bit
    }
  }

  /** Whether it is known which strings hold a word: then {@link mark} costs next to nothing. */
  isHeld(word: string): boolean {
    return this.#held.get(word)?.length === this.values.length
  }

  /** The same for some strings alone, of which nothing is kept. @param numbers - theirs; one may come several times */
  markAmong(word: string, bit: number, found: Uint8Array, numbers: Iterable<number>): void {
    const lower = this.lower()
    for (const number of numbers) if (lower[number]?.includes(word) === true) found[number] = (found[number] ?? 0) | bit
  }

  #holding(word: string): Held {
    const { length } = this.values
    const before = this.#held.get(word)
    this.#held.delete(word) // the one that was asked for last goes last
    if (before?.length === length) {
      this.#held.set(word, before)
      return before
    }
    for (const _ of this.gettingReady());
    const marks = longEnough(before?.marks ?? new Uint8Array(0), (length + 7) >>> 3, 0)
    this.#haystack?.mark(word, this.#lower, marks, before?.length ?? 0)
    const held = { marks, length }
    if (this.#held.size >= HELD_MAX) this.#held.delete(this.#held.keys().next().value ?? '')
    this.#held.set(word, held)
    return held
  }

  *#lowering(): Generator<void> {
    while (this.#lower.length < this.values.length) {
      const to = Math.min(this.#lower.length + LOWERED_AT_ONCE, this.values.length)
      for (let number = this.#lower.length; number < to; number++) this.#lower.push((this.values[number] ?? '').toLowerCase())
      yield
    }
  }
}

/** Whole numbers one after the other, below 2^32. */
export class Column {
  data: Uint32Array<ArrayBuffer>

  constructor(data: Uint32Array<ArrayBuffer> = new Uint32Array(1024)) {
    this.data = data
  }

  set(i: number, value: number): void {
    if (i >= this.data.length) {
      const grown = new Uint32Array(Math.max(i + 1, this.data.length * 2))
      grown.set(this.data)
      this.data = grown
    }
    this.data[i] = value
  }

  at(i: number): number {
    return this.data[i] ?? 0
  }
}

/** At least `length` numbers of the same array, kept where it is long enough. */
export function longEnough<A extends Uint8Array | Int8Array | Uint32Array>(array: A, length: number, fill: number): A {
  if (array.length >= length) return array
  const grown = new (array.constructor as new (length: number) => A)(Math.max(length, array.length * 2))
  grown.fill(fill, array.length)
  grown.set(array)
  return grown
}

const RADIX_BITS = 16
const RADIX = 1 << RADIX_BITS

/**
 * Puts rows into the order of their ranks, in linear time; rows of one rank stay as they stood to each other.
 * @param rankOf - of each row, below 2^32
 */
export function byRank(rows: Uint32Array<ArrayBuffer>, rankOf: (row: number) => number): Uint32Array<ArrayBuffer> {
  let [from, keys] = [rows, new Uint32Array(rows.length)]
  let most = 0
  for (let k = 0; k < from.length; k++) {
    const rank = rankOf(from[k] ?? 0)
    keys[k] = rank
    if (rank > most) most = rank
  }
  for (let shift = 0; shift === 0 || (shift < 32 && most >>> shift > 0); shift += RADIX_BITS) {
    const starts = new Uint32Array(RADIX + 1)
    for (let k = 0; k < keys.length; k++) {
      const digit = ((keys[k] ?? 0) >>> shift) & (RADIX - 1)
      starts[digit + 1] = (starts[digit + 1] ?? 0) + 1
    }
    for (let digit = 0; digit < RADIX; digit++) starts[digit + 1] = (starts[digit + 1] ?? 0) + (starts[digit] ?? 0)
    const [to, toKeys] = [new Uint32Array(rows.length), new Uint32Array(rows.length)]
    for (let k = 0; k < keys.length; k++) {
      const key = keys[k] ?? 0
      const digit = (key >>> shift) & (RADIX - 1)
      const place = starts[digit] ?? 0
      starts[digit] = place + 1
      to[place] = from[k] ?? 0
      toKeys[place] = key
    }
    from = to
    keys = toKeys
  }
  return from
}
