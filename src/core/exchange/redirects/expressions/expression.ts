import { type CodeSet, codeOf, complementOf, EVERY_CODE, foldedSet, namedSet, setOf, setOfText } from './code-set.ts'

/** An expression taken apart. Letters that are the same by the expression's own word stand in one set. */
export type Part =
  | { readonly kind: 'set'; readonly set: CodeSet }
  | { readonly kind: 'begin' }
  | { readonly kind: 'end' }
  | { readonly kind: 'all'; readonly parts: readonly Part[] }
  | { readonly kind: 'either'; readonly parts: readonly Part[] }
  /** Catches; its number counts from 1. */
  | { readonly kind: 'group'; readonly number: number; readonly part: Part }
  | { readonly kind: 'repeat'; readonly part: Part; readonly least: number; readonly most: number; readonly isLazy: boolean }

const DIGITS: CodeSet = [[0x30, 0x39]]
const WORD = setOf([
  [0x30, 0x39],
  [0x41, 0x5a],
  [0x5f, 0x5f],
  [0x61, 0x7a],
])
const BLANKS = setOfText('\t\n\f\r ')
const CLASSES: Readonly<Record<string, CodeSet>> = { d: DIGITS, w: WORD, s: BLANKS }
const NAMED_SIGNS: Readonly<Record<string, number>> = { a: 7, f: 12, t: 9, n: 10, r: 13, v: 11 }
const POSIX: Readonly<Record<string, CodeSet>> = {
  alnum: setOf([...DIGITS, [0x41, 0x5a], [0x61, 0x7a]]),
  alpha: [
    [0x41, 0x5a],
    [0x61, 0x7a],
  ],
  ascii: [[0, 0x7f]],
  blank: setOfText('\t '),
  cntrl: [
    [0, 0x1f],
    [0x7f, 0x7f],
  ],
  digit: DIGITS,
  graph: [[0x21, 0x7e]],
  lower: [[0x61, 0x7a]],
  print: [[0x20, 0x7e]],
  punct: [
    [0x21, 0x2f],
    [0x3a, 0x40],
    [0x5b, 0x60],
    [0x7b, 0x7e],
  ],
  space: setOfText('\t\n\v\f\r '),
  upper: [[0x41, 0x5a]],
  word: WORD,
  xdigit: setOf([...DIGITS, [0x41, 0x46], [0x61, 0x66]]),
}

/** Depth to which groups may stand in one another, inclusive. */
const DEPTH_MAX = 50

class Unread extends Error {}

/**
 * Takes an expression in RE2's syntax apart, one that RE2 has compiled. A path has no line ends, so that flags about them make no
 * difference.
 * @returns null where it says what cannot be told by sets of letters in their order (word boundaries, greed turned round)
 */
export function partOf(source: string, ignoresCase: boolean): Part | null {
  try {
    return new Reader(source, ignoresCase).whole()
  } catch (error) {
    if (error instanceof Unread) return null
    throw error
  }
}

class Reader {
  readonly #source: string
  #at = 0
  #ignoresCase: boolean
  #groups = 0
  #depth = 0

  constructor(source: string, ignoresCase: boolean) {
    this.#source = source
    this.#ignoresCase = ignoresCase
  }

  whole(): Part {
    const part = this.#either()
    if (this.#at < this.#source.length) throw new Unread()
    return part
  }

  #has(text: string): boolean {
    if (!this.#source.startsWith(text, this.#at)) return false
    this.#at += text.length
    return true
  }

  /** @param pattern - sticky */
  #take(pattern: RegExp): RegExpExecArray | null {
    pattern.lastIndex = this.#at
    const found = pattern.exec(this.#source)
    if (found !== null) this.#at += found[0].length
    return found
  }

  #either(): Part {
    if (++this.#depth > DEPTH_MAX) throw new Unread()
    const before = this.#ignoresCase
    const parts = [this.#all()]
    while (this.#has('|')) parts.push(this.#all())
    this.#ignoresCase = before
    this.#depth--
    const [only] = parts
    return only !== undefined && parts.length === 1 ? only : { kind: 'either', parts }
  }

  #all(): Part {
    const parts: Part[] = []
    for (let next = this.#source[this.#at]; next !== undefined && next !== '|' && next !== ')'; next = this.#source[this.#at]) {
      // Flags hold from where they stand to the end of the group.
      const flags = this.#take(/\(\?(-?[imsU]+(?:-[imsU]+)?)\)/uy)?.[1]
      if (flags !== undefined) this.#flag(flags)
      else if (this.#has('\\Q')) parts.push(...this.#quoted())
      else parts.push(this.#repeated(this.#one()))
    }
    const [only] = parts
    return only !== undefined && parts.length === 1 ? only : { kind: 'all', parts }
  }

  #flag(flags: string): void {
    if (flags.includes('U')) throw new Unread()
    const [on = '', off = ''] = flags.split('-')
    if (on.includes('i')) this.#ignoresCase = true
    if (off.includes('i')) this.#ignoresCase = false
  }

  #repeated(part: Part): Part {
    let out = part
    for (;;) {
      const found = this.#take(/([*+?]|\{(\d+)(?:(,)(\d*))?\})(\?)?/uy)
      if (found === null) return out
      const [, sign, least, comma, most, lazy] = found
      const [from, to] =
        sign === '*'
          ? [0, Number.POSITIVE_INFINITY]
          : sign === '+'
            ? [1, Number.POSITIVE_INFINITY]
            : sign === '?'
              ? [0, 1]
              : [Number(least), comma === undefined ? Number(least) : most === '' ? Number.POSITIVE_INFINITY : Number(most)]
      out = { kind: 'repeat', part: out, least: from, most: to, isLazy: lazy !== undefined }
    }
  }

  #letter(code: number): Part {
    const set: CodeSet = [[code, code]]
    return { kind: 'set', set: this.#ignoresCase ? foldedSet(set) : set }
  }

  /** "\Q…\E": text as it stands. */
  #quoted(): Part[] {
    const end = this.#source.indexOf('\\E', this.#at)
    const text = this.#source.slice(this.#at, end === -1 ? undefined : end)
    this.#at = end === -1 ? this.#source.length : end + 2
    return [...text].map((char) => this.#letter(codeOf(char)))
  }

  #one(): Part {
    if (this.#has('(')) return this.#group()
    if (this.#has('[')) return { kind: 'set', set: this.#class() }
    if (this.#has('^')) return { kind: 'begin' }
    if (this.#has('$')) return { kind: 'end' }
    if (this.#has('.')) return { kind: 'set', set: EVERY_CODE }
    if (this.#has('\\A')) return { kind: 'begin' }
    if (this.#has('\\z')) return { kind: 'end' }
    if (this.#source[this.#at] === '\\') {
      const found = this.#escape()
      return typeof found === 'number' ? this.#letter(found) : { kind: 'set', set: found }
    }
    const char = this.#take(/[^*+?)|]/uy)
    if (char === null) throw new Unread()
    return this.#letter(codeOf(char[0]))
  }

  #group(): Part {
    const flags = this.#take(/\?(-?[imsU]*(?:-[imsU]+)?):/uy)?.[1]
    const before = this.#ignoresCase
    let number = 0
    if (flags !== undefined) this.#flag(flags)
    else {
      if (this.#source[this.#at] === '?' && this.#take(/\?P?<\w+>/uy) === null) throw new Unread()
      number = ++this.#groups
    }
    const part = this.#either()
    this.#ignoresCase = before
    if (!this.#has(')')) throw new Unread()
    return number === 0 ? part : { kind: 'group', number, part }
  }

  #class(): CodeSet {
    const isNot = this.#has('^')
    const ranges: (readonly [number, number])[] = []
    for (let isFirst = true; isFirst || !this.#has(']'); isFirst = false) {
      const posix = this.#take(/\[:(\^?)(\w+):\]/uy)
      if (posix !== null) {
        const set = POSIX[posix[2] ?? '']
        if (set === undefined) throw new Unread()
        ranges.push(...this.#named(set, posix[1] === '^'))
        continue
      }
      const from = this.#ofClass()
      if (typeof from !== 'number') {
        ranges.push(...from)
        continue
      }
      if (this.#source[this.#at] !== '-' || this.#source[this.#at + 1] === ']') {
        ranges.push([from, from])
        continue
      }
      this.#at++
      const to = this.#ofClass()
      if (typeof to !== 'number') throw new Unread()
      ranges.push([from, to])
    }
    const set = this.#ignoresCase ? foldedSet(setOf(ranges)) : setOf(ranges)
    return isNot ? complementOf(set) : set
  }

  #ofClass(): number | CodeSet {
    if (this.#source[this.#at] === '\\') return this.#escape()
    const char = this.#take(/[\s\S]/uy)
    if (char === null) throw new Unread()
    return codeOf(char[0])
  }

  /** A class that has a name; what it is not is told after case. */
  #named(set: CodeSet, isNot: boolean): CodeSet {
    const all = this.#ignoresCase ? foldedSet(set) : set
    return isNot ? complementOf(all) : all
  }

  /** A sign or a class behind a backslash. */
  #escape(): number | CodeSet {
    this.#at++
    const name = this.#take(/([pP])(?:\{(\^?)(\w+)\}|(\w))/uy)
    if (name !== null) {
      const set = namedSet(name[3] ?? name[4] ?? '')
      if (set === null) throw new Unread()
      return this.#named(set, (name[1] === 'P') !== (name[2] === '^'))
    }
    const hex = this.#take(/x(?:\{([0-9A-Fa-f]+)\}|([0-9A-Fa-f]{2}))/uy)
    if (hex !== null) return Number.parseInt(hex[1] ?? hex[2] ?? '', 16)
    const octal = this.#take(/[0-7]{1,3}/uy)
    if (octal !== null) return Number.parseInt(octal[0], 8)
    const char = this.#take(/[\s\S]/uy)?.[0]
    if (char === undefined) throw new Unread()
    const set = CLASSES[char.toLowerCase()]
    if (set !== undefined) return this.#named(set, char !== char.toLowerCase())
    const sign = NAMED_SIGNS[char]
    if (sign !== undefined) return sign
    if (/[A-Za-z0-9]/.test(char)) throw new Unread()
    return codeOf(char)
  }
}

/** Text as it stands. @param alike - the letters that are taken for one of it */
export const partOfText = (text: string, alike: (code: number) => CodeSet): Part => ({
  kind: 'all',
  parts: [...text].map((char) => ({ kind: 'set', set: alike(codeOf(char)) })),
})
