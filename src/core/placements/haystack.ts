/** Strings joined to one text; those that are left over are looked through one by one until they are as many. */
const JOINED = 16_384
/** So many neighbours have their pieces noted together. */
const BLOCK = 64
/** Pieces are runs of three letters, kept as bits by a hash of them: a block of short strings fills a fifth of its bits. */
const PIECE = 3
const PIECE_BITS = 13
const PIECE_WORDS = 2 ** PIECE_BITS / 32

/** A bit a string, by its number. */
export type Marks = Uint8Array

const set = (marks: Marks, number: number): void => {
  marks[number >>> 3] = (marks[number >>> 3] ?? 0) | (1 << (number & 7))
}

/** The bit of a piece, from its letters. */
const bitOfPiece = (a: number, b: number, c: number): number => Math.imul((a << 16) ^ (b << 8) ^ c, 0x9e3779b1) >>> (32 - PIECE_BITS)

/** The bits of each piece of a word; none where it is shorter than one. */
function bitsOfPieces(word: string): Uint16Array {
  const bits = new Uint16Array(Math.max(0, word.length - PIECE + 1))
  for (let i = 0; i < bits.length; i++) bits[i] = bitOfPiece(word.charCodeAt(i), word.charCodeAt(i + 1), word.charCodeAt(i + 2))
  return bits
}

/** Neighbouring strings as one text, with the pieces of each block of them. */
class Joined {
  readonly #text: string
  /** Where each string begins in the text, and where one more would. */
  readonly #starts: Uint32Array
  readonly #pieces: Uint32Array

  constructor(strings: readonly string[]) {
    this.#text = strings.join('\n')
    this.#starts = new Uint32Array(strings.length + 1)
    for (let k = 0, at = 0; k < strings.length; k++) {
      at += (strings[k] ?? '').length + 1
      this.#starts[k + 1] = at
    }
    const blocks = Math.ceil(strings.length / BLOCK)
    this.#pieces = new Uint32Array(blocks * PIECE_WORDS)
    for (let block = 0; block < blocks; block++) this.#notePieces(block)
  }

  #endOf(block: number): number {
    return this.#starts[Math.min((block + 1) * BLOCK, this.#starts.length - 1)] ?? 0
  }

  #notePieces(block: number): void {
    const [text, pieces, first] = [this.#text, this.#pieces, block * PIECE_WORDS]
    const start = this.#starts[block * BLOCK] ?? 0
    const end = Math.min(this.#endOf(block), text.length)
    for (let i = start + 2, a = text.charCodeAt(start), b = text.charCodeAt(start + 1); i < end; i++) {
      const c = text.charCodeAt(i)
      const bit = bitOfPiece(a, b, c)
      const at = first + (bit >>> 5)
      pieces[at] = (pieces[at] ?? 0) | (1 << (bit & 31))
      a = b
      b = c
    }
  }

  #hasPieces(block: number, bits: Uint16Array): boolean {
    for (let i = 0; i < bits.length; i++) {
      const bit = bits[i] ?? 0
      if ((((this.#pieces[block * PIECE_WORDS + (bit >>> 5)] ?? 0) >>> (bit & 31)) & 1) === 0) return false
    }
    return true
  }

  /** Marks each string that holds a word. @param bits - of its pieces @param first - number of the first string */
  mark(word: string, bits: Uint16Array, marks: Marks, first: number): void {
    const last = this.#starts.length - 2
    if (bits.length === 0) return this.#markWithin(word, marks, first, { text: this.#text, from: 0, k: 0, last })
    for (let block = 0; block * BLOCK <= last; block++) {
      if (!this.#hasPieces(block, bits)) continue
      const from = this.#starts[block * BLOCK] ?? 0
      const text = this.#text.slice(from, this.#endOf(block))
      this.#markWithin(word, marks, first, { text, from, k: block * BLOCK, last: Math.min(last, (block + 1) * BLOCK - 1) })
    }
  }

  /** The same of some strings alone: from `k` to `last`, whose text begins at `from`. */
  #markWithin(
    word: string,
    marks: Marks,
    first: number,
    { text, from, k: begin, last }: { text: string; from: number; k: number; last: number },
  ): void {
    const starts = this.#starts
    for (let at = text.indexOf(word), k = begin; at !== -1; at = text.indexOf(word, (starts[k] ?? 0) - from)) {
      k = this.#stringAt(at + from, k)
      set(marks, first + k)
      if (++k > last) break
    }
  }

  /** The string that a place of the text lies in, from one on: near ones are found at once. */
  #stringAt(at: number, from: number): number {
    const starts = this.#starts
    const length = starts.length - 1
    let step = 1
    let low = from
    while (low + step < length && (starts[low + step] ?? 0) <= at) {
      low += step
      step *= 2
    }
    let high = Math.min(low + step, length)
    while (high - low > 1) {
      const middle = (low + high) >>> 1
      if ((starts[middle] ?? 0) <= at) low = middle
      else high = middle
    }
    return low
  }
}

/**
 * Strings that words are looked for in, in lower case: many of them joined to one text, and looked through only where all pieces of a
 * word are. What comes is joined as it becomes many, and nothing is joined twice.
 */
export class Haystack {
  readonly #joined: Joined[] = [];

  /** Takes strings in, a stretch at a time. @param strings - all of them; those that were there before are the same */
  *taking(strings: readonly string[]): Generator<void> {
    for (let from = this.#joined.length * JOINED; from + JOINED <= strings.length; from += JOINED) {
      this.#joined.push(new Joined(strings.slice(from, from + JOINED)))
      yield
    }
  }

  /**
   * Marks each string that holds a word, of those taken in and of the others.
   * @param word - without white space
   * @param from - of strings before this number it is known
   */
  mark(word: string, strings: readonly string[], marks: Marks, from: number): void {
    const bits = bitsOfPieces(word)
    for (let k = Math.floor(from / JOINED); k < this.#joined.length; k++) this.#joined[k]?.mark(word, bits, marks, k * JOINED)
    for (let number = Math.max(from, this.#joined.length * JOINED); number < strings.length; number++)
      if (strings[number]?.includes(word) === true) set(marks, number)
  }
}

/** Whether a word is found by its pieces, and not by looking through everything. */
export const isFoundByPieces = (word: string): boolean => word.length >= PIECE
