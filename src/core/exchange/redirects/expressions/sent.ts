import {
  areApart,
  type CodeSet,
  commonOf,
  complementOf,
  EVERY_CODE,
  foldedSet,
  hasCode,
  isWithin,
  LAST_CODE,
  namedSet,
  setOf,
  setOfText,
} from './code-set.ts'
import type { Part } from './expression.ts'

/*
 * Other servers decode a path before their expressions see it, and then "%2F" is a slash, "%25" a percent sign, and what is caught goes
 * out as other bytes than came. So expressions are written for the path as it is sent, spelled in any way that means the same here.
 */

/** One digit of an escape. */
const H = '[0-9A-Fa-f]'
/** Behind "%": escapes that stay escapes in a path as people read it (`plainPath`), of one byte. */
const KEPT_BEHIND = '[01]|2[35Ff]|3[Ff]|5[Cc]|7[Ff]'
/** Signs that browsers send as they are (WHATWG URL, path percent-encode set, and those that some leave alone). */
const SENT = setOf([
  [0x21, 0x21],
  [0x24, 0x24],
  [0x26, 0x3b],
  [0x3d, 0x3d],
  [0x40, 0x5b],
  [0x5d, 0x5f],
  [0x61, 0x7a],
  [0x7c, 0x7c],
  [0x7e, 0x7e],
])
/** Of which an escape is read as the sign. */
const ESCAPED = complementOf(setOf([[0, 0x1f], [0x7f, LAST_CODE], ...setOfText('/\\%?#')]))
const BEYOND_ASCII: CodeSet = [[0x80, LAST_CODE]]

/** Behind "%": escapes of two to four bytes. */
const MANY_BYTES = `[CDcd]${H}%${H}{2}|[Ee]${H}(?:%${H}{2}){2}|[Ff]${H}(?:%${H}{2}){3}`
/** An escape of anything that is read; of one that stays an escape its first sign. */
const ANY_ESCAPE = `%(?:(?=${KEPT_BEHIND})|(?!${KEPT_BEHIND})[2-7]${H}|${MANY_BYTES})`
const ANY = `(?:[^%? ]|${ANY_ESCAPE})`

let invisible: CodeSet | null = null
/** Characters whose escapes stay escapes since nobody sees them, beyond ASCII. */
export const invisibleSet = (): CodeSet =>
  (invisible ??= commonOf(BEYOND_ASCII, setOf(['Cc', 'Cf', 'Zl', 'Zp'].flatMap((name) => namedSet(name) ?? []))))

let spelled: string | null = null
/**
 * What a path matches, up to its query or a blank, of which no more has to be known than how it is spelled: as a browser sends it, with
 * escapes that are UTF-8, without dots between slashes, and without signs that nobody sees.
 */
export function spelledWell(): string {
  spelled ??=
    `(?!(?:[^? ]*/)?(?:\\.|%2[Ee]){1,2}(?:[/? ]|$))(?![^? ]*(?:${escapesOf(invisibleSet())}))` +
    `(?:${classOf(SENT)}|%[0-7]${H}|%(?:${escapesOf(BEYOND_ASCII)}))*`
  return spelled
}

/** A path that has an escape which stays one, as a test of the path as it is sent. */
export const HAS_KEPT_ESCAPE = `%(?:${KEPT_BEHIND})`

/** What follows a path where it is looked at. */
const END = '(?=[? ]|$)'
/** What stands before it. */
const BEGIN = '(?<= )'

/** Longest expression that is written, as it stands and with what it repeats: nginx reads no longer words (4,096 bytes), PCRE keeps 64 kB of one. */
const WRITTEN_MAX_CHARS = 4_000
const WRITTEN_OUT_MAX_CHARS = 8_000

export type SentFault = 'long' | 'slow'

/** An expression for paths as they are sent. */
export interface SentPath {
  /** From the first slash to the end of the path. Groups that are asked for catch, in the order of their numbers here. */
  readonly source: string
  /** The number of each group that was asked for. */
  readonly numbers: ReadonlyMap<number, number>
}

/**
 * Writes an expression for paths as they are sent (PCRE, bytes).
 * @param wanted - the groups whose text is needed
 * @returns "slow" for one that other programs, which go back over their steps, can take for ever with
 */
export function sentPath(part: Part, wanted: ReadonlySet<number>): SentPath | SentFault {
  if (isSlow(part)) return 'slow'
  const writer = new Writer(wanted)
  const end = { beginsWithDigit: false }
  const [isBegun, isEnded] = [beginsBound(part), endsBound(part)]
  const body = writer.text(inner(part), end)
  const before = isBegun ? '' : writer.firstDigit([part], end) ? `${ANY}*?` : '[^? ]*?'
  const source = `${before}${body}${isEnded ? '' : '[^? ]*'}`
  return source.length > WRITTEN_MAX_CHARS || writer.writtenOut > WRITTEN_OUT_MAX_CHARS ? 'long' : { source, numbers: writer.numbers }
}

/** What stands between its bounds: those of the whole are plain to see by where it stands. */
function inner(part: Part): Part {
  if (part.kind !== 'all') return part
  const { parts } = part
  return { kind: 'all', parts: parts.slice(parts[0]?.kind === 'begin' ? 1 : 0, parts[parts.length - 1]?.kind === 'end' ? -1 : undefined) }
}

/** Whether every match begins where the path does. */
const beginsBound = (part: Part): boolean =>
  part.kind === 'begin' || (part.kind === 'all' && part.parts[0] !== undefined && beginsBound(part.parts[0]))
const endsBound = (part: Part): boolean => {
  const last = part.kind === 'all' ? part.parts[part.parts.length - 1] : undefined
  return part.kind === 'end' || (last !== undefined && endsBound(last))
}

/** What a group can catch. */
export function lettersOf(part: Part, number: number): CodeSet | null {
  if (part.kind === 'group') return part.number === number ? setOf(everyLetter(part.part)) : lettersOf(part.part, number)
  if (part.kind === 'repeat') return lettersOf(part.part, number)
  if (part.kind === 'all' || part.kind === 'either')
    for (const each of part.parts) {
      const found = lettersOf(each, number)
      if (found !== null) return found
    }
  return null
}

function everyLetter(part: Part): CodeSet {
  if (part.kind === 'set') return part.set
  if (part.kind === 'group' || part.kind === 'repeat') return everyLetter(part.part)
  return part.kind === 'all' || part.kind === 'either' ? part.parts.flatMap(everyLetter) : []
}

/**
 * Whether a program that goes back over its steps may take very long: a repeat within a repeat, unless what is repeated begins with a
 * letter that is nowhere else in it, so that each turn is plain to see.
 */
function isSlow(part: Part): boolean {
  if (part.kind === 'all' || part.kind === 'either') return part.parts.some(isSlow)
  if (part.kind === 'group') return isSlow(part.part)
  if (part.kind !== 'repeat') return false
  if (part.most > 1 && part.part.kind !== 'set' && hasRepeat(part.part) && !isDivided(part.part)) return true
  return isSlow(part.part)
}

const hasRepeat = (part: Part): boolean =>
  part.kind === 'repeat'
    ? part.least !== part.most || hasRepeat(part.part)
    : part.kind === 'group'
      ? hasRepeat(part.part)
      : part.kind === 'either'
        ? part.parts.some(hasRepeat) || !areTold(part.parts)
        : part.kind === 'all' && part.parts.some(hasRepeat)

/** Whether each of several begins with a letter that none of the others begins with. */
function areTold(parts: readonly Part[]): boolean {
  const firsts = parts.map((part) => (part.kind === 'all' ? part.parts[0] : part))
  return firsts.every(
    (each, i) => each?.kind === 'set' && firsts.slice(i + 1).every((other) => other?.kind === 'set' && areApart(each.set, other.set)),
  )
}

function isDivided(part: Part): boolean {
  if (part.kind === 'group') return isDivided(part.part)
  if (part.kind !== 'all') return false
  const [first, ...others] = part.parts
  return first?.kind === 'set' && others.every((each) => areApart(first.set, setOf(everyLetter(each))))
}

/** What comes behind a part, as far as it matters. */
interface Behind {
  /** It may begin with what could also be a digit of an escape. */
  readonly beginsWithDigit: boolean
}

const HEX_DIGITS = setOf([
  [0x30, 0x39],
  [0x41, 0x46],
  [0x61, 0x66],
])
/** Of these no escape is ever read, so that what leaves no others out stops at them alone. */
const DIVIDING = setOf([[0, 0x1f], [0x7f, 0x7f], ...setOfText('/\\?#')])

/** The digits of an escape that is written out, in either case: here they are read as capitals. */
function anyCaseInEscapes(parts: readonly Part[]): readonly Part[] {
  const isPercent = (part: Part | undefined): boolean => part?.kind === 'set' && part.set.length === 1 && isWithin(part.set, [[0x25, 0x25]])
  return parts.map((part, i) =>
    part.kind === 'set' && isWithin(part.set, HEX_DIGITS) && (isPercent(parts[i - 1]) || isPercent(parts[i - 2]))
      ? { kind: 'set', set: foldedSet(part.set) }
      : part,
  )
}

class Writer {
  readonly numbers = new Map<number, number>()
  writtenOut = 0
  readonly #wanted: ReadonlySet<number>
  #times = 1

  constructor(wanted: ReadonlySet<number>) {
    this.#wanted = wanted
  }

  text(part: Part, behind: Behind): string {
    switch (part.kind) {
      case 'begin':
        return BEGIN
      case 'end':
        return END
      case 'set':
        return this.#counted(letterOf(part.set))
      case 'group': {
        if (!this.#wanted.has(part.number)) return this.text(part.part, behind)
        this.numbers.set(part.number, this.numbers.size + 1)
        return `(${this.text(part.part, behind)})`
      }
      case 'either':
        return `(?:${part.parts.map((each) => this.text(each, behind)).join('|')})`
      case 'all': {
        const parts = anyCaseInEscapes(part.parts)
        return parts.map((each, i) => this.text(each, { beginsWithDigit: this.firstDigit(parts.slice(i + 1), behind) })).join('')
      }
      case 'repeat':
        return this.#repeat(part, behind)
    }
  }

  #repeat(part: Part & { kind: 'repeat' }, behind: Behind): string {
    const { least, most, isLazy } = part
    const lazy = isLazy ? '?' : ''
    const sign =
      most === Number.POSITIVE_INFINITY
        ? least === 0
          ? '*'
          : least === 1
            ? '+'
            : `{${least},}`
        : least === 0 && most === 1
          ? '?'
          : `{${least},${most}}`
    // Whatever runs on to a slash or to the end can be told without its escapes, if it cannot end within one.
    if (part.part.kind === 'set' && most === Number.POSITIVE_INFINITY && least <= 1 && !behind.beginsWithDigit) {
      const out = complementOf(part.part.set)
      if (isWithin(out, DIVIDING)) return this.#counted(`[^${hasCode(out, 0x2f) ? '/' : ''}? ]${sign}${lazy}`)
    }
    const before = this.#times
    this.#times *= Math.max(1, most === Number.POSITIVE_INFINITY ? least : most)
    const inner = this.text(part.part, { beginsWithDigit: behind.beginsWithDigit || this.firstDigit([part.part], behind) })
    this.#times = before
    const isOne = part.part.kind === 'either' || (part.part.kind === 'set' && !inner.startsWith('%'))
    return `${isOne ? inner : `(?:${inner})`}${sign}${lazy}`
  }

  #counted(text: string): string {
    this.writtenOut += text.length * this.#times
    return text
  }

  /** Whether what these write, one after another, may begin with a digit of an escape. */
  firstDigit(parts: readonly Part[], behind: Behind): boolean {
    for (const part of parts) {
      if (part.kind === 'set') return !areApart(part.set, HEX_DIGITS)
      if (part.kind === 'end') return false
      if (part.kind === 'begin') continue
      const inner =
        part.kind === 'all'
          ? this.firstDigit(part.parts, { beginsWithDigit: false })
          : part.kind === 'either'
            ? part.parts.some((each) => this.firstDigit([each], { beginsWithDigit: false }))
            : this.firstDigit([part.part], { beginsWithDigit: false })
      if (inner) return true
      if (!mayBeEmpty(part)) return false
    }
    return behind.beginsWithDigit
  }
}

const mayBeEmpty = (part: Part): boolean =>
  part.kind === 'set'
    ? false
    : part.kind === 'all'
      ? part.parts.every(mayBeEmpty)
      : part.kind === 'either'
        ? part.parts.some(mayBeEmpty)
        : part.kind === 'group'
          ? mayBeEmpty(part.part)
          : part.kind === 'repeat'
            ? part.least === 0 || mayBeEmpty(part.part)
            : true

/** Letters that have been written, of which the same few make up most paths. */
const written = new Map<string, string>()
const WRITTEN_MAX = 1_000

/** One character of a set, in whatever way it is sent. */
function letterOf(set: CodeSet): string {
  if (set.length > 4) return letterAnew(set)
  const key = set.join()
  const known = written.get(key)
  if (known !== undefined) return known
  const text = letterAnew(set)
  if (written.size < WRITTEN_MAX) written.set(key, text)
  return text
}

function letterAnew(set: CodeSet): string {
  if (isWithin(EVERY_CODE, set)) return ANY
  const choices: string[] = []
  const sent = commonOf(set, SENT)
  if (sent.length > 0) choices.push(classOf(sent))
  if (hasCode(set, 0x25)) choices.push(`%(?=${KEPT_BEHIND})`)
  const escapes = escapesOf(commonOf(set, ESCAPED))
  if (escapes !== '') choices.push(`%${inOne(escapes)}`)
  const visible = commonOf(set, BEYOND_ASCII)
  if (visible.length > 0) choices.push(isWithin(BEYOND_ASCII, visible) ? `%(?:${MANY_BYTES})` : `%(?:${escapesOf(visible)})`)
  if (choices.length === 0) return '(?!)' // no path has it
  const [only] = choices
  return choices.length === 1 && only !== undefined ? only : `(?:${choices.join('|')})`
}

const SPECIAL = /[\\^$.*+?()[\]{}|#"'/-]/
/** One sign of ASCII as it stands in an expression, inside quotes or not. */
const signOf = (code: number): string => {
  const sign = String.fromCharCode(code)
  return sign === '"' || sign === "'" || sign === '\\' || sign === '$' || sign === '#' || sign === '%'
    ? `\\x${code.toString(16).toUpperCase().padStart(2, '0')}`
    : SPECIAL.test(sign) && sign !== '/' && sign !== '-'
      ? `\\${sign}`
      : sign
}

/** Signs of ASCII as a class, or as the only one. */
function classOf(set: CodeSet): string {
  const [first] = set
  if (first !== undefined && set.length === 1 && first[0] === first[1]) return signOf(first[0])
  const inClass = (code: number): string => (code === 0x2d ? '\\-' : signOf(code))
  return `[${set.map(([from, to]) => (from === to ? inClass(from) : `${inClass(from)}-${inClass(to)}`)).join('')}]`
}

/** Bytes as what stands behind "%". @param ranges - ascending and apart */
function bytesOf(ranges: CodeSet): string {
  const lows = new Map<number, number[]>()
  for (const [from, to] of ranges)
    for (let byte = from; byte <= to; byte++) lows.set(byte >> 4, [...(lows.get(byte >> 4) ?? []), byte & 15])
  // First digits that the same second ones follow are told once.
  const highs = new Map<string, number[]>()
  for (const [high, low] of lows) highs.set(low.join(), [...(highs.get(low.join()) ?? []), high])
  return [...highs].map(([low, high]) => digits(high) + digits(low.split(',').map(Number))).join('|')
}

/** One digit of an escape, out of several. */
function digits(values: readonly number[]): string {
  if (values.length === 16) return H
  const spelt = values.map((value) => value.toString(16)).flatMap((digit) => (/[a-f]/.test(digit) ? [digit.toUpperCase(), digit] : [digit]))
  const [only] = spelt
  return only !== undefined && spelt.length === 1 ? only : `[${spelt.join('')}]`
}

/** A set as the escapes of its UTF-8, from behind the first "%" on. */
function escapesOf(set: CodeSet): string {
  const ascii = commonOf(set, [[0, 0x7f]])
  const choices = new Set(ascii.length === 0 ? [] : [bytesOf(ascii)])
  for (const [from, to] of commonOf(set, BEYOND_ASCII))
    for (const run of byteRuns(from, to)) choices.add(run.map(([low, high]) => inOne(bytesOf([[low, high]]))).join('%'))
  return [...choices].join('|')
}

const inOne = (text: string): string => (text.includes('|') ? `(?:${text})` : text)

/** A range of code points as runs of byte ranges: each byte of a run takes any value of its range (UTF-8, RFC 3629). */
function byteRuns(from: number, to: number): (readonly [number, number])[][] {
  for (const last of [0x7ff, 0xffff]) if (from <= last && to > last) return [...byteRuns(from, last), ...byteRuns(last + 1, to)]
  if (from <= 0xdfff && to >= 0xd800)
    return [...(from < 0xd800 ? byteRuns(from, 0xd7ff) : []), ...(to > 0xdfff ? byteRuns(0xe000, to) : [])]
  for (let bits = 6; bits <= 18; bits += 6) {
    const mask = (1 << bits) - 1
    if (from >> bits === to >> bits) continue
    if ((from & mask) !== 0) return [...byteRuns(from, from | mask), ...byteRuns((from | mask) + 1, to)]
    if ((to & mask) !== mask) return [...byteRuns(from, (to & ~mask) - 1), ...byteRuns(to & ~mask, to)]
  }
  const [low, high] = [utf8(from), utf8(to)]
  return [low.map((byte, i) => [byte, high[i] ?? byte] as const)]
}

function utf8(code: number): number[] {
  if (code < 0x800) return [0xc0 | (code >> 6), 0x80 | (code & 63)]
  if (code < 0x10000) return [0xe0 | (code >> 12), 0x80 | ((code >> 6) & 63), 0x80 | (code & 63)]
  return [0xf0 | (code >> 18), 0x80 | ((code >> 12) & 63), 0x80 | ((code >> 6) & 63), 0x80 | (code & 63)]
}
