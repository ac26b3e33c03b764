import { readAttributes, readTag, type TagEnd, valueNamed } from './attributes.ts'
import { ByteEdits, bytesOf } from './byte-edits.ts'
import { decodeSource, isSingleByte, patchBytes } from './encoding.ts'
import { endOfComment, endOfContent, endOfName, endOfTag, isEndTagOf, isLetter, isStartTagOf, Kind, kindOf } from './passing.ts'
import type { Patch, PatchSet } from './patch.ts'
import { valuePatch } from './rewrite.ts'
import { Form, LinkNote, Stop, scanner } from './scanner.ts'
import { endsForeign, type ForeignElement, foreignElement } from './tokenizer.ts'

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

/**
 * Gives links their attributes. Most are like others before, and answered from as little of the tag as that takes.
 * @typeParam Group - of links that may be answered alike
 */
export interface LinkRewriter<Group> {
  /**
   * The links that this one is like; null for one that has to be looked at by itself.
   * @param text - what was noted, one character a unit; ASCII is itself
   * @param hasBase - the page's relative addresses do not start from its own
   */
  groupOf?(text: string, note: LinkNote, hasBase: boolean): Group | null
  /** Null leaves the tag alone, undefined asks for the whole of it. */
  quick?(group: Group, text: string, note: LinkNote): QuickAnswer | null | undefined
  /** Patches of the whole start tag, by offsets in `tag.tag`; none leaves it alone. */
  rewrite(tag: StreamedTag, group: Group | null, text: string, note: LinkNote): PatchSet
}

/** What a runtime does faster than can be done without knowing it. */
export interface ByteTools {
  /** One character for each byte, ASCII as itself. */
  read(bytes: Uint8Array): string
  /** Room for so many bytes, whatever they are. */
  make(length: number): Uint8Array
}

export interface StreamOptions {
  /** Name by the Encoding standard, lower case. */
  readonly encoding: string
  /** What hangs in a link is waited for, where the quick way has no answer. */
  readonly needsContent: boolean
  readonly byteTools?: ByteTools | undefined
}

/** Longest start tag that is held back to be rewritten; a page with a longer one goes through as it is from there on. */
export const TAG_HOLD_BYTES = 4 * 1024 * 1024
/** Longest content of a link that is waited for. */
const CONTENT_HOLD_BYTES = 64 * 1024

const NOTHING = new Uint8Array(0)
/** windows-1252, which the Encoding standard means by this name, gives every byte one character, and ASCII itself. */
const bytewise = new TextDecoder('latin1')
const PLAIN_TOOLS: ByteTools = { read: (bytes) => bytewise.decode(bytes), make: (length) => new Uint8Array(length) }

/** Encodings in which a byte below 0x40 always stands for itself, wherever it stands, and those of two bytes a unit. */
const isStateful = (encoding: string): boolean => encoding === 'iso-2022-jp' || encoding === 'replacement'
const unitOf = (encoding: string): 1 | 2 => (encoding === 'utf-16le' || encoding === 'utf-16be' ? 2 : 1)

enum Mode {
  Data,
  Comment,
  Bogus,
  Cdata,
  Raw,
  Script,
  /** Whatever comes goes through. */
  Pass,
}

/** Says that nothing from an offset on can be read before more has come. Where reading goes on is said by the offset itself. */
const wait = (from: number): number => -from - 1

/** A run of units that is being read. */
interface Passage {
  readonly bytes: Uint8Array
  /** One character a unit. */
  readonly text: string
  /** Nothing comes after it. */
  readonly isLast: boolean
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
  readonly #tools: ByteTools
  /** Answers can be written without decoding the tag. */
  readonly #isQuick: boolean
  readonly #note = new LinkNote()
  readonly #tag: TagEnd = { end: -1, selfClosing: false }
  readonly #edits: ByteEdits
  #carry: Uint8Array = NOTHING
  #mode: Mode
  #rawName = ''
  #isEscaped = false
  #isDoubled = false
  #templates = 0
  readonly #foreign: ForeignElement[] = []
  #baseHref: string | null = null
  #baseTarget: string | null = null

  constructor(rewriter: LinkRewriter<Group>, { encoding, needsContent, byteTools = PLAIN_TOOLS }: StreamOptions) {
    this.#rewriter = rewriter
    this.#tools = byteTools
    this.#edits = new ByteEdits(byteTools.make)
    this.#encoding = encoding
    this.#unit = unitOf(encoding)
    this.#needsContent = needsContent
    this.#isQuick = encoding === 'utf-8' || isSingleByte(encoding)
    this.#mode = isStateful(encoding) ? Mode.Pass : Mode.Data
  }

  /** Takes the next piece. @returns what can go on, in order; the pieces may be views of `chunk` */
  push(chunk: Uint8Array): Uint8Array[] {
    if (this.#mode === Mode.Pass) return chunk.length > 0 ? [chunk] : []
    // A plain view: what is cut out of a runtime's own kind of array costs several times as much.
    const plain = new Uint8Array(chunk.buffer, chunk.byteOffset, chunk.length)
    return this.#work(this.#carry.length === 0 ? plain : join(this.#carry, plain), false)
  }

  /** The page is over. @returns what was still held back */
  end(): Uint8Array[] {
    const rest = this.#carry
    this.#carry = NOTHING
    return rest.length === 0 ? [] : this.#mode === Mode.Pass ? [rest] : this.#work(rest, true)
  }

  #work(bytes: Uint8Array, isLast: boolean): Uint8Array[] {
    const text = this.#textOf(bytes)
    const passage: Passage = { bytes, text, isLast }
    scanner().load(this.#unit === 1 ? bytes : bytewiseUnits(text))
    let i = 0
    while (i >= 0 && i < text.length) i = this.#step(passage, i)
    const read = i < 0 ? -i - 1 : text.length
    const done = this.#edits.apply(bytes, read * this.#unit)
    const kept = bytes.subarray(read * this.#unit)
    const goes = isLast || kept.length > TAG_HOLD_BYTES
    if (goes && !isLast) this.#mode = Mode.Pass
    this.#carry = goes ? NOTHING : kept.slice()
    return [done, goes ? kept : NOTHING].filter((piece) => piece.length > 0)
  }

  /** One character for each byte, or for each unit of two bytes; an odd last byte is left out. */
  #textOf(bytes: Uint8Array): string {
    if (this.#unit === 1) return this.#tools.read(bytes)
    return new TextDecoder(this.#encoding, { ignoreBOM: true }).decode(bytes.subarray(0, bytes.length & ~1))
  }

  /** Reads on from `i`. @returns how far it was read, or {@link wait} */
  #step(passage: Passage, i: number): number {
    const { text, isLast } = passage
    let at: number
    switch (this.#mode) {
      case Mode.Data:
        return this.#data(passage, i)
      case Mode.Comment:
        at = endOfComment(text, i)
        if (at === -1) return wait(Math.max(i, text.length - 3))
        break
      case Mode.Bogus:
        at = text.indexOf('>', i) + 1
        if (at === 0) return text.length
        break
      case Mode.Cdata:
        at = text.indexOf(']]>', i) + 3
        if (at === 2) return wait(Math.max(i, text.length - 2))
        break
      case Mode.Raw:
        at = this.#endOfRaw(text, i, isLast)
        if (at < 0 || at === text.length) return at
        break
      case Mode.Script:
        at = this.#endOfScript(text, i, isLast)
        if (at < 0 || at === text.length) return at
        break
      case Mode.Pass:
        return text.length
    }
    this.#mode = Mode.Data
    return at
  }

  /** From link to link, over all tags that are none of ours, to the first that changes how we read. */
  #data(passage: Passage, from: number): number {
    if (this.#foreign.length > 0 || this.#templates > 0) return this.#nested(passage, from)
    const links = scanner()
    const at = links.scan(from)
    const { reason, count } = links
    for (let k = 0; k < count; k++) {
      links.read(k, this.#note)
      const next = this.#link(passage, false)
      if (next < 0) return next
    }
    if (reason === Stop.InTag) return wait(at)
    return reason === Stop.AtMarkup ? this.#markup(passage, at) : at
  }

  /** A tag or other markup at an offset, in HTML's own content, after which reading may go on in another way. */
  #markup(passage: Passage, lt: number): number {
    const { text } = passage
    if (!isLetter(text.charCodeAt(lt + 1))) return this.#otherMarkup(passage, lt)
    const nameEnd = endOfName(text, lt + 2)
    const tagEnd = endOfTag(text, nameEnd)
    return tagEnd === -1 ? wait(lt) : this.#enter(passage, kindOf(text, lt + 1, nameEnd), lt, nameEnd, tagEnd)
  }

  /** "<" that begins no tag: a comment, a doctype, CDATA, or a character like any other. */
  #otherMarkup({ text, isLast }: Passage, lt: number): number {
    const c = text.charCodeAt(lt + 1)
    if (c !== 0x21) {
      if (c !== 0x2f && c !== 0x3f) return lt + 1
      this.#mode = Mode.Bogus
      return lt + 2
    }
    if (text.length - lt < 9 && !isLast) return wait(lt)
    if (text.startsWith('--', lt + 2)) {
      // "<!-->" and "<!--->" are whole comments; "--!>" ends none before its own dashes.
      for (const whole of ['>', '->']) if (text.startsWith(whole, lt + 4)) return lt + 4 + whole.length
      this.#mode = Mode.Comment
      return lt + 4
    }
    if (this.#inForeign() && text.startsWith('[CDATA[', lt + 2)) {
      this.#mode = Mode.Cdata
      return lt + 9
    }
    this.#mode = Mode.Bogus
    return lt + 2
  }

  /** A start tag in HTML's own content, after which reading goes on in another way. */
  #enter(passage: Passage, kind: Kind, lt: number, nameEnd: number, tagEnd: number): number {
    if (kind === Kind.Base) this.#base(passage.bytes, lt, nameEnd, tagEnd)
    else if (kind === Kind.Foreign) this.#enterForeign(passage, lt, nameEnd)
    else if (kind === Kind.Template) this.#templates++
    else if (kind === Kind.Plaintext) this.#mode = Mode.Pass
    else if (kind === Kind.Raw || kind === Kind.Script) {
      this.#mode = kind === Kind.Script ? Mode.Script : Mode.Raw
      this.#rawName = nameOf(passage.text, lt + 1, nameEnd)
      this.#isEscaped = false
      this.#isDoubled = false
    }
    return tagEnd
  }

  #inForeign(): boolean {
    return this.#foreign[this.#foreign.length - 1]?.html === false
  }

  /** One tag in SVG, MathML or a template, or other markup there. */
  #nested(passage: Passage, from: number): number {
    const { text } = passage
    const lt = text.indexOf('<', from)
    if (lt === -1) return text.length
    const isEnd = text.charCodeAt(lt + 1) === 0x2f
    const nameStart = isEnd ? lt + 2 : lt + 1
    if (nameStart >= text.length) return wait(lt)
    if (!isLetter(text.charCodeAt(nameStart))) return this.#otherMarkup(passage, lt)
    const nameEnd = endOfName(text, nameStart + 1)
    return isEnd ? this.#nestedEnd(text, lt, nameEnd) : this.#nestedStart(passage, lt, nameEnd)
  }

  #nestedStart(passage: Passage, lt: number, nameEnd: number): number {
    const { bytes, text } = passage
    readTag(text, nameEnd, null, this.#tag)
    const { end, selfClosing } = this.#tag
    if (end === -1) return wait(lt)
    const name = nameOf(text, lt + 1, nameEnd)
    if (this.#inForeign() && endsForeign(name === 'font' ? this.#decode(bytes, lt, end) : '', name, nameEnd - lt, end - lt))
      while (this.#inForeign()) this.#foreign.pop()
    const isForeign = this.#inForeign()
    const kind = kindOf(text, lt + 1, nameEnd)
    if (kind === Kind.Link || (kind === Kind.Area && !isForeign)) {
      this.#note.start = lt
      this.#note.end = end
      this.#note.isArea = kind === Kind.Area
      this.#note.form = Form.Other
      const next = this.#templates === 0 ? this.#link(passage, isForeign) : end
      if (next >= 0 && isForeign && !selfClosing) this.#foreign.push(foreignElement('', name, 0, 0, this.#foreign))
      return next
    }
    if (isForeign) return this.#enterForeign(passage, lt, nameEnd)
    return kind === Kind.Base && this.#templates > 0 ? end : this.#enter(passage, kind, lt, nameEnd, end)
  }

  /** Goes into an element of SVG or MathML. */
  #enterForeign({ bytes, text }: Passage, lt: number, nameEnd: number): number {
    readTag(text, nameEnd, null, this.#tag)
    const { end, selfClosing } = this.#tag
    const name = nameOf(text, lt + 1, nameEnd)
    const tag = name === 'annotation-xml' ? this.#decode(bytes, lt, end) : ''
    if (!selfClosing) this.#foreign.push(foreignElement(tag, name, nameEnd - lt, end - lt, this.#foreign))
    return end
  }

  /** An end tag in SVG, MathML or a template. */
  #nestedEnd(text: string, lt: number, nameEnd: number): number {
    const end = endOfTag(text, nameEnd)
    if (end === -1) return wait(lt)
    this.#close(nameOf(text, lt + 2, nameEnd))
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

  #base(bytes: Uint8Array, lt: number, nameEnd: number, tagEnd: number): void {
    if (this.#baseHref !== null && this.#baseTarget !== null) return
    const tag = this.#decode(bytes, lt, tagEnd)
    const attributes = readAttributes(tag, nameEnd - lt)
    this.#baseHref ??= valueNamed(tag, attributes, 'href')
    this.#baseTarget ??= valueNamed(tag, attributes, 'target')
  }

  /** The link that was noted. @returns its end, or {@link wait} */
  #link(passage: Passage, isForeign: boolean): number {
    const { text } = passage
    const note = this.#note
    const isOrdinary = note.form !== Form.Other && !isForeign && this.#baseTarget === null
    const group = isOrdinary ? (this.#rewriter.groupOf?.(text, note, this.#baseHref !== null) ?? null) : null
    // Attributes that begin so may say more of a link than was noted.
    const answer = group === null || note.hasData || !this.#isQuick ? undefined : this.#rewriter.quick?.(group, text, note)
    if (answer === undefined) return this.#wholeLink(passage, isForeign, group)
    if (answer !== null) this.#write(text, answer)
    return note.end
  }

  /** Writes an answer into the tag that was noted. */
  #write(text: string, { added, rel, target }: QuickAnswer): void {
    const { hrefOuterEnd, relStart, relEnd, targetStart, targetEnd } = this.#note
    if (rel === null && target === null) return this.#edits.add(hrefOuterEnd, hrefOuterEnd, bytesOf(added))
    const patches: Patch[] = added === '' ? [] : [{ from: hrefOuterEnd, to: hrefOuterEnd, insert: added }]
    if (rel !== null) patches.push(valuePatch(text, relStart, relEnd, rel))
    if (target !== null) patches.push(valuePatch(text, targetStart, targetEnd, target))
    for (const { from, to, insert } of patches.sort((a, b) => a.from - b.from)) this.#edits.add(from, to, bytesOf(insert))
  }

  /** A link that has to be looked at by itself. */
  #wholeLink({ bytes, text, isLast }: Passage, isForeign: boolean, group: Group | null): number {
    const { start: lt, end: tagEnd, isArea } = this.#note
    const end = text.length
    let content: string | null = null
    if (this.#needsContent && !isArea) {
      const contentEnd = endOfContent(text, tagEnd, Math.min(end, tagEnd + CONTENT_HOLD_BYTES))
      if (contentEnd === -1 && !isLast && end - tagEnd < CONTENT_HOLD_BYTES) return wait(lt)
      if (contentEnd !== -1 || isLast) content = this.#decode(bytes, tagEnd, contentEnd === -1 ? end : contentEnd)
    }
    const raw = bytes.subarray(lt * this.#unit, tagEnd * this.#unit)
    const written = text.slice(lt, tagEnd)
    const isPlain = this.#unit === 1 && isAscii(written)
    const tag = isPlain ? written : decodeSource(raw, this.#encoding)
    const element = isArea ? 'area' : 'a'
    const met = { element, tag, content, isForeign, baseHref: this.#baseHref, baseTarget: this.#baseTarget } as const
    const patches = this.#rewriter.rewrite(met, group, text, this.#note)
    if (patches.length === 0) return tagEnd
    if (isPlain && patches.every(({ insert }) => isAscii(insert))) {
      // The usual case: offsets in the tag are offsets in its bytes.
      for (const { from, to, insert } of patches) this.#edits.add(lt + from, lt + to, bytesOf(insert))
      return tagEnd
    }
    const patched = patchBytes(raw, this.#encoding, tag, patches)
    if (patched.ok) this.#edits.add(lt * this.#unit, tagEnd * this.#unit, patched.value)
    return tagEnd
  }

  /** Raw text. @returns where its end tag starts, the end of what there is, or {@link wait} */
  #endOfRaw(text: string, from: number, isLast: boolean): number {
    const name = this.#rawName
    for (let at = text.indexOf('<', from); at !== -1; at = text.indexOf('<', at + 1)) {
      if (at + name.length + 2 >= text.length) return isLast ? text.length : wait(at)
      if (isEndTagOf(text, name, at)) return at
    }
    return text.length
  }

  /** Script data with its escaped states. @returns as {@link #endOfRaw} */
  #endOfScript(text: string, from: number, isLast: boolean): number {
    for (let i = from; i < text.length; ) {
      const c = text.charCodeAt(i)
      if (c !== 0x3c && c !== 0x2d) {
        i++
        continue
      }
      if (text.length - i < 9 && !isLast) return wait(i)
      if (text.startsWith('<!--', i)) {
        this.#isEscaped = true
        i += 2 // "<!-->" opens and ends at once
      } else if (text.startsWith('-->', i)) {
        this.#isEscaped = false
        this.#isDoubled = false
        i += 3
      } else if (c === 0x3c && isEndTagOf(text, 'script', i)) {
        if (!this.#isDoubled) return i
        this.#isDoubled = false
        i += 8
      } else if (c === 0x3c && isStartTagOf(text, 'script', i)) {
        if (this.#isEscaped) this.#isDoubled = true
        i += 7
      } else i++
    }
    return text.length
  }
}

function join(a: Uint8Array, b: Uint8Array): Uint8Array {
  const both = new Uint8Array(a.length + b.length)
  both.set(a)
  both.set(b, a.length)
  return both
}

/** One byte a unit: ASCII as itself, and for everything else a byte that is none. */
function bytewiseUnits(text: string): Uint8Array {
  const units = new Uint8Array(text.length)
  for (let i = 0; i < text.length; i++) units[i] = Math.min(text.charCodeAt(i), 0xff)
  return units
}

const nameOf = (text: string, from: number, to: number): string => text.slice(from, to).toLowerCase()
const isAscii = (text: string): boolean => !/[^\0-\x7f]/.test(text)
