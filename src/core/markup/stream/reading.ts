import { decodeSource, isSingleByte, type PatchSet } from '../bytes/index.ts'
import type { WrittenValue } from '../links/index.ts'
import { Content, isRawElement, Nesting, readAttributes, valueNamed } from '../tags/index.ts'
import { Form, LinkNote, Mode, type ReadingState, Stop, scanner, startOfReading } from './scanner.ts'

/** A link's start tag as a stream meets it. */
export interface StreamedTag {
  readonly element: 'a' | 'area'
  /** The start tag, decoded, "<" … ">". */
  readonly tag: string
  /** What hangs in the link, decoded; null where nobody asked for it, or it is longer than a stream holds. */
  readonly content: string | null
  readonly isForeign: boolean
  /** Of the first `base` so far. */
  readonly baseHref: string | null
  readonly baseTarget: string | null
}

/** New values of a link's attributes, in ASCII. */
export interface QuickAnswer {
  /** Attributes to put in behind the destination, with a space before each. */
  readonly added: string
  /** For one that the tag has, with a value; null leaves it. */
  readonly rel: WrittenValue | null
  readonly target: WrittenValue | null
}

/** Reads what stands between two offsets of a note; what is not ASCII is not to be relied on. */
export type NotedText = (from: number, to: number) => string

/**
 * Gives links their attributes. Most are like others before, and answered without reading the tag.
 * @typeParam Group - of links that may be answered alike
 */
export interface LinkRewriter<Group> {
  /**
   * The links that this one is like; null for one that has to be looked at by itself.
   * @param hasBase - the page's relative addresses do not start from its own
   */
  groupOf?(note: LinkNote, text: NotedText, hasBase: boolean): Group | null
  /** Null leaves the tag alone, undefined asks for the whole of it. */
  quick?(group: Group, note: LinkNote): QuickAnswer | null | undefined
  /** Patches of the whole start tag, by offsets in `tag.tag`; none leaves it alone, null says that it is no link. */
  rewrite(tag: StreamedTag, group: Group | null, note: LinkNote, text: NotedText): PatchSet | null
}

export interface ReadingOptions {
  /** Name by the Encoding standard, lower case. */
  readonly encoding: string
  /** What hangs in a link is waited for, where there is no quick answer. */
  readonly needsContent: boolean
}

/** Receives what links are answered with, in order of place. */
export interface AnswerSink {
  /** @param note - of the link's tag, by offsets in `passage` */
  quick(passage: Passage, note: LinkNote, answer: QuickAnswer): void
  /** @param tag - the whole start tag, decoded; the patches' offsets count in it */
  whole(passage: Passage, note: LinkNote, tag: string, patches: PatchSet): void
}

/** Longest content of a link that is waited for. */
const CONTENT_HOLD_BYTES = 64 * 1024

/** Encodings in which a byte below 0x40 always stands for itself, wherever it stands, and those of two bytes a unit. */
const isStateful = (encoding: string): boolean => encoding === 'iso-2022-jp' || encoding === 'replacement'
const unitOf = (encoding: string): 1 | 2 => (encoding === 'utf-16le' || encoding === 'utf-16be' ? 2 : 1)

/** Says that nothing from an offset on can be read before more has come. Where reading goes on is said by the offset itself. */
const wait = (from: number): number => -from - 1

/** A run of a page that is being read. Offsets count its units. */
export interface Passage {
  readonly bytes: Uint8Array
  /** One byte a unit: ASCII is itself. */
  readonly units: Uint8Array
  readonly text: NotedText
  /** Nothing comes after it. */
  readonly isLast: boolean
}

/** A tag in a passage: "<", its name in lower case, where that ends, and past ">". */
interface Tag {
  readonly lt: number
  readonly name: string
  readonly nameEnd: number
  readonly end: number
  readonly selfClosing: boolean
}

/**
 * Reads a page that comes in pieces from link to link, and has each answered. It follows the tokenizer of the HTML standard
 * as {@link walkTags} does; in SVG or MathML that is nested wrongly the two may differ. Readers share one scanner: none may
 * be fed from within another's rewriter or sink.
 */
export class PageReader<Group> {
  /** Bytes that a unit takes. */
  readonly unit: 1 | 2
  readonly #rewriter: LinkRewriter<Group>
  readonly #sink: AnswerSink
  readonly #encoding: string
  readonly #needsContent: boolean
  /** Answers can be written without decoding the tag. */
  readonly #isQuick: boolean
  readonly #note = new LinkNote()
  readonly #state: ReadingState
  #nesting = new Nesting(0, 0, null)
  #isInNoscript = false
  /** How much of a noscript that is waited for was looked through. */
  #noscriptSeen = 0
  #baseHref: string | null = null
  #baseTarget: string | null = null
  #links = 0

  constructor(rewriter: LinkRewriter<Group>, { encoding, needsContent }: ReadingOptions, sink: AnswerSink) {
    this.#rewriter = rewriter
    this.#sink = sink
    this.#encoding = encoding
    this.unit = unitOf(encoding)
    this.#needsContent = needsContent
    this.#isQuick = encoding === 'utf-8' || isSingleByte(encoding)
    this.#state = startOfReading(isStateful(encoding) ? Mode.Pass : Mode.Data)
  }

  /** Nothing of what comes is looked at any more. */
  get isPassing(): boolean {
    return this.#state.mode === Mode.Pass
  }

  /** Links that were read so far. */
  get links(): number {
    return this.#links
  }

  /** Lets everything from here on pass. */
  giveUp(): void {
    this.#state.mode = Mode.Pass
  }

  /**
   * Reads on.
   * @param bytes - what was not read the last time, and what has come since
   * @param isLast - nothing comes behind them
   * @returns how many of the bytes were read
   */
  read(bytes: Uint8Array, isLast: boolean): number {
    const units = this.unit === 1 ? bytes : unitsOf(bytes, this.#encoding)
    const passage: Passage = { bytes, units, isLast, text: (from, to) => asciiOf(units, from, to) }
    scanner().load(units)
    let i = 0
    while (i >= 0 && i < units.length) i = this.#step(passage, i)
    return (i < 0 ? -i - 1 : units.length) * this.unit
  }

  /** Reads on from `i`. @returns how far it was read, or {@link wait} */
  #step(passage: Passage, i: number): number {
    const { units, isLast } = passage
    const isNested = !this.#nesting.isPlain
    if (this.#state.mode === Mode.Pass) return units.length
    if (isNested && this.#state.mode === Mode.Data) return this.#nested(passage, i)
    const links = scanner()
    const at = links.scan(i, units.length, this.#state, isLast, isNested)
    const { reason, count } = links
    for (let k = 0; k < count; k++) {
      links.read(k, this.#note)
      const next = this.#link(passage, false)
      if (next < 0) return next
    }
    if (reason === Stop.Waits) return wait(at)
    if (reason !== Stop.AtTag) return at
    const tag = this.#tagAt(passage, at)
    return tag === null ? wait(at) : this.#nestedStart(passage, tag)
  }

  #tagAt({ text, units }: Passage, lt: number, name = lt + 1): Tag | null {
    const tag = scanner().tagAt(name, units.length)
    if (tag === null) return null
    const { nameEnd, end, selfClosing } = tag
    return { lt, name: text(name, nameEnd).toLowerCase(), nameEnd, end, selfClosing }
  }

  /** Goes on behind a start tag of HTML's own, as its name says. @returns where reading goes on, be it in another way */
  #enter(passage: Passage, tag: Tag): number {
    const { name, end } = tag
    if (name === 'base') this.#base(passage, tag)
    else if (name === 'plaintext') this.#state.mode = Mode.Pass
    else if (name === 'noscript') return this.#isInNoscript ? end : this.#noscript(passage, tag)
    else if (isRawElement(name)) this.#enterRaw(name)
    return end
  }

  #enterRaw(name: string): void {
    this.#state.mode = name === 'script' ? Mode.Script : Mode.Raw
    this.#state.raw.fill(0)
    new Uint8Array(this.#state.raw.buffer).set(new TextEncoder().encode(name))
    this.#state.raw[RAW_LENGTH] = name.length
  }

  /**
   * Reads what stands in `noscript` as markup of its own, up to where it ends for a reader whose scripts run.
   * One that is longer than is waited for passes as raw text.
   */
  #noscript(passage: Passage, { lt, name, end }: Tag): number {
    const { bytes, units, isLast } = passage
    // What was looked through while it waited holds no end: however small the pieces are, each is looked at once.
    const from = end + Math.max(0, this.#noscriptSeen - END_OF_NOSCRIPT_UNITS)
    const found = endOfNoscript(units, from, Math.min(units.length, end + NOSCRIPT_HOLD_BYTES))
    this.#noscriptSeen = 0
    if (found === -1 && units.length - end < NOSCRIPT_HOLD_BYTES && !isLast) {
      this.#noscriptSeen = units.length - end
      return wait(lt)
    }
    if (found === -1 && !(isLast && units.length - end <= NOSCRIPT_HOLD_BYTES)) {
      this.#enterRaw(name)
      return end
    }
    const until = found === -1 ? units.length : found
    const inside = { ...passage, bytes: bytes.subarray(0, until * this.unit), units: units.subarray(0, until), isLast: true }
    const outside = this.#nesting
    this.#nesting = new Nesting(end, outside.templates, null)
    this.#isInNoscript = true
    for (let i = end; i >= 0 && i < until; ) i = this.#step(inside, i)
    this.#isInNoscript = false
    this.#nesting = outside
    this.#state.mode = Mode.Data
    return until
  }

  /** One tag in SVG, MathML or a template, or other markup there. */
  #nested(passage: Passage, from: number): number {
    const { units } = passage
    const lt = units.indexOf(0x3c, from)
    if (lt === -1) return units.length
    const isEnd = units[lt + 1] === 0x2f
    const name = isEnd ? lt + 2 : lt + 1
    if (name >= units.length) return wait(lt)
    if (!isLetter(units[name] ?? 0)) return this.#nestedMarkup(passage, lt)
    const tag = this.#tagAt(passage, lt, name)
    if (tag === null) return wait(lt)
    if (!isEnd) return this.#nestedStart(passage, tag)
    this.#nesting.leave(tag.name, tag.lt)
    return tag.end
  }

  /** "<" that begins no tag: a comment, CDATA, or a character like any other. */
  #nestedMarkup({ units, text, isLast }: Passage, lt: number): number {
    const state = this.#state
    const c = units[lt + 1]
    if (c !== 0x21) {
      if (c !== 0x2f && c !== 0x3f) return lt + 1
      state.mode = Mode.Bogus
      return lt + 2
    }
    if (units.length - lt < CDATA_START.length && !isLast) return wait(lt)
    const mark = text(lt, lt + CDATA_START.length)
    if (mark === CDATA_START && this.#nesting.isForeign) {
      state.mode = Mode.Cdata
      return lt + CDATA_START.length
    }
    // "<!-->" and "<!--->" are whole comments; "--!>" ends none before its own dashes.
    const whole = /^<!---?>/.exec(mark)
    if (whole !== null) return lt + whole[0].length
    state.mode = mark.startsWith('<!--') ? Mode.Comment : Mode.Bogus
    return lt + (state.mode === Mode.Comment ? 4 : 2)
  }

  #nestedStart(passage: Passage, tag: Tag): number {
    const { lt, name, nameEnd, end, selfClosing } = tag
    const isInert = this.#nesting.templates > 0
    const depth = this.#nesting.foreignDepth
    // Only these tell by more than their name how what is in them, or around them, is read.
    const text = name === 'annotation-xml' || name === 'font' ? this.#decode(passage.bytes, lt, end) : ''
    const content = this.#nesting.enter(text, name, nameEnd - lt, end - lt, selfClosing, end)
    const next = this.#content(passage, tag, content, isInert)
    // A link or a noscript that is read again once more has come.
    if (next < 0) this.#nesting.leaveForeignTo(depth)
    return next
  }

  #content(passage: Passage, tag: Tag, content: Content, isInert: boolean): number {
    const { lt, name, end } = tag
    const isForeign = content === Content.Foreign
    if (name === 'a' || (name === 'area' && !isForeign)) {
      if (isInert) return end
      this.#note.start = lt
      this.#note.end = end
      this.#note.isArea = name === 'area'
      this.#note.form = Form.Other
      return this.#link(passage, isForeign)
    }
    if (name === 'base') return isInert || isForeign ? end : this.#enter(passage, tag)
    return content === Content.OfItsName ? this.#enter(passage, tag) : end
  }

  #decode(bytes: Uint8Array, from: number, to: number): string {
    return decodeSource(bytes.subarray(from * this.unit, to * this.unit), this.#encoding)
  }

  #base({ bytes }: Passage, { lt, nameEnd, end }: Tag): void {
    if (this.#baseHref !== null && this.#baseTarget !== null) return
    const tag = this.#decode(bytes, lt, end)
    const attributes = readAttributes(tag, nameEnd - lt)
    this.#baseHref ??= valueNamed(tag, attributes, 'href')
    this.#baseTarget ??= valueNamed(tag, attributes, 'target')
  }

  /** The link that was noted. @returns its end, or {@link wait} */
  #link(passage: Passage, isForeign: boolean): number {
    const note = this.#note
    const isOrdinary = note.form !== Form.Other && !isForeign && this.#baseTarget === null
    const group = isOrdinary ? (this.#rewriter.groupOf?.(note, passage.text, this.#baseHref !== null) ?? null) : null
    // Attributes that begin so may say more of a link than was noted.
    const answer = group === null || note.hasData || !this.#isQuick ? undefined : this.#rewriter.quick?.(group, note)
    if (answer === undefined) return this.#wholeLink(passage, isForeign, group)
    this.#links++
    if (answer !== null) this.#sink.quick(passage, note, answer)
    return note.end
  }

  /** A link that has to be looked at by itself. */
  #wholeLink(passage: Passage, isForeign: boolean, group: Group | null): number {
    const { bytes, units, text, isLast } = passage
    const note = this.#note
    const { start: lt, end: tagEnd, isArea } = note
    const end = units.length
    let content: string | null = null
    if (this.#needsContent && !isArea) {
      const contentEnd = endOfContent(units, tagEnd, Math.min(end, tagEnd + CONTENT_HOLD_BYTES))
      if (contentEnd === -1 && !isLast && end - tagEnd < CONTENT_HOLD_BYTES) return wait(lt)
      if (contentEnd !== -1 || isLast) content = this.#decode(bytes, tagEnd, contentEnd === -1 ? end : contentEnd)
    }
    const tag = this.#decode(bytes, lt, tagEnd)
    const element = isArea ? 'area' : 'a'
    const met = { element, tag, content, isForeign, baseHref: this.#baseHref, baseTarget: this.#baseTarget } as const
    const patches = this.#rewriter.rewrite(met, group, note, text)
    if (patches === null) return tagEnd
    this.#links++
    if (patches.length > 0) this.#sink.whole(passage, note, tag, patches)
    return tagEnd
  }
}

/** Where a {@link ReadingState} holds how long the name of the element is. */
const RAW_LENGTH = 2
const CDATA_START = '<![CDATA['

/** One byte for each unit of two: ASCII as itself, and for everything else a byte that is none. An odd last byte is left out. */
function unitsOf(bytes: Uint8Array, encoding: string): Uint8Array {
  const low = encoding === 'utf-16le' ? 0 : 1
  const units = new Uint8Array(bytes.length >> 1)
  for (let i = 0; i < units.length; i++) {
    const unit = bytes[2 * i + low] ?? 0
    units[i] = bytes[2 * i + 1 - low] === 0 && unit < 0x80 ? unit : 0xff
  }
  return units
}

function asciiOf(units: Uint8Array, from: number, to: number): string {
  let text = ''
  for (let i = from; i < to; i++) text += String.fromCharCode(units[i] ?? 0)
  return text
}
/** Longest content of a `noscript` that is waited for. */
const NOSCRIPT_HOLD_BYTES = 64 * 1024
/** "</noscript" and what stands behind it. */
const END_OF_NOSCRIPT_UNITS = 11

/** Where the end tag of a `noscript` starts; -1 when it is not there. */
function endOfNoscript(units: Uint8Array, from: number, end: number): number {
  for (let at = units.indexOf(0x3c, from); at !== -1 && at + 10 < end; at = units.indexOf(0x3c, at + 1)) {
    if (units[at + 1] === 0x2f && /^<\/noscript[\t\n\f\r />]$/i.test(asciiOf(units, at, at + 11))) return at
  }
  return -1
}
const isLetter = (c: number): boolean => (c >= 0x61 && c <= 0x7a) || (c >= 0x41 && c <= 0x5a)

/** Where a link ends: its end tag, or the start of another link. -1 when neither is there. */
function endOfContent(units: Uint8Array, from: number, end: number): number {
  for (let at = units.indexOf(0x3c, from); at !== -1 && at + 3 < end; at = units.indexOf(0x3c, at + 1)) {
    if (/^<\/?a[\s/>]/i.test(asciiOf(units, at, at + 4))) return at
  }
  return -1
}
