import { readAttributes, valueNamed } from './attributes.ts'
import { decodeSource, isSingleByte, patchBytes } from './encoding.ts'
import type { Patch, PatchSet } from './patch.ts'
import { valuePatch } from './rewrite.ts'
import { Form, LinkNote, Mode, type ReadingState, Stop, scanner, startOfReading } from './scanner.ts'
import { endsForeign, type ForeignElement, foreignElement, isRawElement } from './tokenizer.ts'

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
  readonly rel: string | null
  readonly target: string | null
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
  /** Patches of the whole start tag, by offsets in `tag.tag`; none leaves it alone. */
  rewrite(tag: StreamedTag, group: Group | null, note: LinkNote, text: NotedText): PatchSet
}

export interface StreamOptions {
  /** Name by the Encoding standard, lower case. */
  readonly encoding: string
  /** What hangs in a link is waited for, where there is no quick answer. */
  readonly needsContent: boolean
  /** Room for so many bytes, whatever they are; where the runtime has a faster way than to clear it first. */
  readonly room?: ((bytes: number) => Uint8Array) | undefined
}

/** Longest start tag that is held back to be rewritten; a page with a longer one goes through as it is from there on. */
export const TAG_HOLD_BYTES = 4 * 1024 * 1024
/** Longest content of a link that is waited for. */
const CONTENT_HOLD_BYTES = 64 * 1024

const NOTHING = new Uint8Array(0)

/** Encodings in which a byte below 0x40 always stands for itself, wherever it stands, and those of two bytes a unit. */
const isStateful = (encoding: string): boolean => encoding === 'iso-2022-jp' || encoding === 'replacement'
const unitOf = (encoding: string): 1 | 2 => (encoding === 'utf-16le' || encoding === 'utf-16be' ? 2 : 1)

/** Says that nothing from an offset on can be read before more has come. Where reading goes on is said by the offset itself. */
const wait = (from: number): number => -from - 1

/** A run of a page that is being read. Offsets count its units. */
interface Passage {
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
 * Rewrites the links of a page that comes in pieces, byte for byte outside the tags that change. What it holds back never
 * grows with the page: at most one start tag, and where it is asked for the content of one link. It follows the tokenizer
 * of the HTML standard as {@link walkTags} does; in SVG or MathML that is nested wrongly the two may differ. Streams share
 * one scanner: none may be fed from within another's rewriter.
 */
export class MarkupStream<Group = never> {
  readonly #rewriter: LinkRewriter<Group>
  readonly #encoding: string
  readonly #unit: 1 | 2
  readonly #needsContent: boolean
  readonly #room: (bytes: number) => Uint8Array
  /** Answers can be written without decoding the tag. */
  readonly #isQuick: boolean
  readonly #note = new LinkNote()
  readonly #state: ReadingState
  /** In order of place, three numbers each: from, to, and the length of what comes there, in bytes. */
  #edits: number[] = []
  #inserts: Uint8Array[] = []
  #carry: Uint8Array = NOTHING
  #templates = 0
  readonly #foreign: ForeignElement[] = []
  #baseHref: string | null = null
  #baseTarget: string | null = null

  constructor(rewriter: LinkRewriter<Group>, { encoding, needsContent, room = (bytes) => new Uint8Array(bytes) }: StreamOptions) {
    this.#rewriter = rewriter
    this.#room = room
    this.#encoding = encoding
    this.#unit = unitOf(encoding)
    this.#needsContent = needsContent
    this.#isQuick = encoding === 'utf-8' || isSingleByte(encoding)
    this.#state = startOfReading(isStateful(encoding) ? Mode.Pass : Mode.Data)
  }

  /** Takes the next piece. @returns what can go on, in order; the pieces may be views of `chunk` */
  push(chunk: Uint8Array): Uint8Array[] {
    if (this.#state.mode === Mode.Pass) return chunk.length > 0 ? [chunk] : []
    // A plain view: what is cut out of a runtime's own kind of array costs several times as much.
    const plain = new Uint8Array(chunk.buffer, chunk.byteOffset, chunk.length)
    return this.#work(this.#carry.length === 0 ? plain : join(this.#carry, plain), false)
  }

  /** The page is over. @returns what was still held back */
  end(): Uint8Array[] {
    const rest = this.#carry
    this.#carry = NOTHING
    return rest.length === 0 ? [] : this.#state.mode === Mode.Pass ? [rest] : this.#work(rest, true)
  }

  #work(bytes: Uint8Array, isLast: boolean): Uint8Array[] {
    const units = this.#unit === 1 ? bytes : unitsOf(bytes, this.#encoding)
    const passage: Passage = { bytes, units, isLast, text: (from, to) => asciiOf(units, from, to) }
    scanner().load(units)
    let i = 0
    while (i >= 0 && i < units.length) i = this.#step(passage, i)
    const read = (i < 0 ? -i - 1 : units.length) * this.#unit
    const done = this.#written(bytes, read)
    const kept = bytes.subarray(read)
    const goes = isLast || kept.length > TAG_HOLD_BYTES
    if (goes && !isLast) this.#state.mode = Mode.Pass
    this.#carry = goes ? NOTHING : kept.slice()
    return [done, goes ? kept : NOTHING].filter((piece) => piece.length > 0)
  }

  /** The bytes up to an offset with what was changed; a view of them where nothing was. */
  #written(bytes: Uint8Array, read: number): Uint8Array {
    if (this.#inserts.length === 0) return bytes.subarray(0, read)
    if (this.#unit === 2) scanner().load(bytes)
    const written = scanner().splice(this.#edits, this.#inserts, read, this.#room)
    this.#edits = []
    this.#inserts = []
    return written
  }

  /** @param from - and `to`: in bytes */
  #edit(from: number, to: number, insert: Uint8Array): void {
    this.#edits.push(from, to, insert.length)
    this.#inserts.push(insert)
  }

  /** Reads on from `i`. @returns how far it was read, or {@link wait} */
  #step(passage: Passage, i: number): number {
    const { units, isLast } = passage
    const isNested = this.#foreign.length > 0 || this.#templates > 0
    if (this.#state.mode === Mode.Pass) return units.length
    if (isNested && this.#state.mode === Mode.Data) return this.#nested(passage, i)
    const links = scanner()
    const at = links.scan(i, this.#state, isLast, isNested)
    const { reason, count } = links
    for (let k = 0; k < count; k++) {
      links.read(k, this.#note)
      const next = this.#link(passage, false)
      if (next < 0) return next
    }
    if (reason === Stop.Waits) return wait(at)
    if (reason !== Stop.AtTag) return at
    const tag = this.#tagAt(passage, at)
    return tag === null ? wait(at) : this.#enter(passage, tag)
  }

  #tagAt({ text }: Passage, lt: number, name = lt + 1): Tag | null {
    const tag = scanner().tagAt(name)
    if (tag === null) return null
    const { nameEnd, end, selfClosing } = tag
    return { lt, name: text(name, nameEnd).toLowerCase(), nameEnd, end, selfClosing }
  }

  /** A start tag in HTML's own content. @returns where reading goes on, be it in another way */
  #enter(passage: Passage, tag: Tag): number {
    const { name, end } = tag
    if (name === 'base') this.#base(passage, tag)
    else if (name === 'svg' || name === 'math') this.#enterForeign(passage, tag)
    else if (name === 'template') this.#templates++
    else if (name === 'plaintext') this.#state.mode = Mode.Pass
    else if (isRawElement(name)) {
      this.#state.mode = name === 'script' ? Mode.Script : Mode.Raw
      this.#state.raw.fill(0)
      new Uint8Array(this.#state.raw.buffer).set(new TextEncoder().encode(name))
      this.#state.raw[RAW_LENGTH] = name.length
    }
    return end
  }

  #inForeign(): boolean {
    return this.#foreign[this.#foreign.length - 1]?.html === false
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
    this.#close(tag.name)
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
    if (mark === CDATA_START && this.#inForeign()) {
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
    const { lt, name, end } = tag
    if (this.#inForeign() && this.#endsForeign(passage, tag)) while (this.#inForeign()) this.#foreign.pop()
    const isForeign = this.#inForeign()
    if (name === 'a' || (name === 'area' && !isForeign)) {
      this.#note.start = lt
      this.#note.end = end
      this.#note.isArea = name === 'area'
      this.#note.form = Form.Other
      const next = this.#templates === 0 ? this.#link(passage, isForeign) : end
      if (next >= 0 && isForeign) this.#enterForeign(passage, tag)
      return next
    }
    if (isForeign) return this.#enterForeign(passage, tag)
    return name === 'base' && this.#templates > 0 ? end : this.#enter(passage, tag)
  }

  #endsForeign({ bytes }: Passage, { lt, name, nameEnd, end }: Tag): boolean {
    return endsForeign(name === 'font' ? this.#decode(bytes, lt, end) : '', name, nameEnd - lt, end - lt)
  }

  /** Goes into an element of SVG or MathML. */
  #enterForeign({ bytes }: Passage, { lt, name, nameEnd, end, selfClosing }: Tag): number {
    const tag = name === 'annotation-xml' ? this.#decode(bytes, lt, end) : ''
    if (!selfClosing) this.#foreign.push(foreignElement(tag, name, nameEnd - lt, end - lt, this.#foreign))
    return end
  }

  #close(name: string): void {
    if (this.#foreign.length > 0) {
      for (let k = this.#foreign.length - 1; k >= 0; k--) {
        if (this.#foreign[k]?.name !== name) continue
        this.#foreign.length = k
        return
      }
      if (this.#inForeign() && (name === 'p' || name === 'br')) while (this.#inForeign()) this.#foreign.pop()
    }
    if (name === 'template' && this.#templates > 0 && !this.#inForeign()) this.#templates--
  }

  #decode(bytes: Uint8Array, from: number, to: number): string {
    return decodeSource(bytes.subarray(from * this.#unit, to * this.#unit), this.#encoding)
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
    if (answer !== null) this.#write(passage, answer)
    return note.end
  }

  /** Writes an answer into the tag that was noted. */
  #write({ units }: Passage, { added, rel, target }: QuickAnswer): void {
    const { hrefOuterEnd, relStart, relEnd, targetStart, targetEnd } = this.#note
    if (rel === null && target === null) return this.#edit(hrefOuterEnd, hrefOuterEnd, bytesOf(added))
    const patches: Patch[] = added === '' ? [] : [{ from: hrefOuterEnd, to: hrefOuterEnd, insert: added }]
    if (rel !== null) patches.push(valuePatch(units[relStart - 1] ?? 0, relStart, relEnd, rel))
    if (target !== null) patches.push(valuePatch(units[targetStart - 1] ?? 0, targetStart, targetEnd, target))
    for (const { from, to, insert } of patches.sort((a, b) => a.from - b.from)) this.#edit(from, to, bytesOf(insert))
  }

  /** A link that has to be looked at by itself. */
  #wholeLink({ bytes, units, text, isLast }: Passage, isForeign: boolean, group: Group | null): number {
    const { start: lt, end: tagEnd, isArea } = this.#note
    const end = units.length
    let content: string | null = null
    if (this.#needsContent && !isArea) {
      const contentEnd = endOfContent(units, tagEnd, Math.min(end, tagEnd + CONTENT_HOLD_BYTES))
      if (contentEnd === -1 && !isLast && end - tagEnd < CONTENT_HOLD_BYTES) return wait(lt)
      if (contentEnd !== -1 || isLast) content = this.#decode(bytes, tagEnd, contentEnd === -1 ? end : contentEnd)
    }
    const raw = bytes.subarray(lt * this.#unit, tagEnd * this.#unit)
    const tag = decodeSource(raw, this.#encoding)
    const element = isArea ? 'area' : 'a'
    const met = { element, tag, content, isForeign, baseHref: this.#baseHref, baseTarget: this.#baseTarget } as const
    const patches = this.#rewriter.rewrite(met, group, this.#note, text)
    if (patches.length === 0) return tagEnd
    if (this.#unit === 1 && isAscii(tag) && patches.every(({ insert }) => isAscii(insert))) {
      // The usual case: offsets in the tag are offsets in its bytes.
      for (const { from, to, insert } of patches) this.#edit(lt + from, lt + to, bytesOf(insert))
      return tagEnd
    }
    const patched = patchBytes(raw, this.#encoding, tag, patches)
    if (patched.ok) this.#edit(lt * this.#unit, tagEnd * this.#unit, patched.value)
    return tagEnd
  }
}

/** Where a {@link ReadingState} holds how long the name of the element is. */
const RAW_LENGTH = 2
const CDATA_START = '<![CDATA['

function join(a: Uint8Array, b: Uint8Array): Uint8Array {
  const both = new Uint8Array(a.length + b.length)
  both.set(a)
  both.set(b, a.length)
  return both
}

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
const isLetter = (c: number): boolean => (c >= 0x61 && c <= 0x7a) || (c >= 0x41 && c <= 0x5a)
const isAscii = (text: string): boolean => !/[^\0-\x7f]/.test(text)

/** Where a link ends: its end tag, or the start of another link. -1 when neither is there. */
function endOfContent(units: Uint8Array, from: number, end: number): number {
  for (let at = units.indexOf(0x3c, from); at !== -1 && at + 3 < end; at = units.indexOf(0x3c, at + 1)) {
    if (/^<\/?a[\s/>]/i.test(asciiOf(units, at, at + 4))) return at
  }
  return -1
}

/** Texts whose bytes are kept: what is put into a page is nearly always one of a few marks. */
const REMEMBERED_MAX = 500
const remembered = new Map<string, Uint8Array>()
/** Text as UTF-8. The answer is shared: nobody may write into it. */
function bytesOf(text: string): Uint8Array {
  const known = remembered.get(text)
  if (known !== undefined) return known
  const bytes = new TextEncoder().encode(text)
  if (remembered.size >= REMEMBERED_MAX) remembered.clear()
  remembered.set(text, bytes)
  return bytes
}
