import { isSpace, readAttributes, readTag, type TagEnd, valueNamed } from './attributes.ts'
import { decodeSource, patchBytes } from './encoding.ts'
import type { PatchSet } from './patch.ts'
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

/** Patches of one start tag, by offsets in `tag`; none leaves it alone. */
export type TagRewriter = (tag: StreamedTag) => PatchSet

/** Longest start tag that is held back to be rewritten; a page with a longer one goes through as it is from there on. */
export const TAG_HOLD_BYTES = 4 * 1024 * 1024
/** Longest content of a link that is waited for. */
const CONTENT_HOLD_BYTES = 64 * 1024

const NOTHING = new Uint8Array(0)
/** windows-1252, which the Encoding standard means by this name, gives every byte one character, and ASCII itself. */
const bytewise = new TextDecoder('latin1')
const oneByOne = (bytes: Uint8Array): string => bytewise.decode(bytes)

/** Encodings in which a byte below 0x40 always stands for itself, wherever it stands, and those of two bytes a unit. */
const isStateful = (encoding: string): boolean => encoding === 'iso-2022-jp' || encoding === 'replacement'
const unitOf = (encoding: string): 1 | 2 => (encoding === 'utf-16le' || encoding === 'utf-16be' ? 2 : 1)

enum Kind {
  Link = 1,
  Area,
  Base,
  Raw,
  Script,
  Plaintext,
  Template,
  Foreign,
}
const KINDS: Readonly<Record<string, Kind>> = {
  a: Kind.Link,
  area: Kind.Area,
  base: Kind.Base,
  title: Kind.Raw,
  textarea: Kind.Raw,
  style: Kind.Raw,
  xmp: Kind.Raw,
  iframe: Kind.Raw,
  noembed: Kind.Raw,
  noframes: Kind.Raw,
  noscript: Kind.Raw,
  script: Kind.Script,
  plaintext: Kind.Plaintext,
  template: Kind.Template,
  svg: Kind.Foreign,
  math: Kind.Foreign,
}
/** The names that matter, by a hash of their letters that is worked out while a name is read; any other tag is passed over. */
const SLOTS = 256
const HASHES = new Int32Array(SLOTS)
const hashOf = (name: string): number => {
  let hash = 0
  for (let k = 0; k < name.length; k++) hash = (Math.imul(hash, 31) + (name.charCodeAt(k) | 0x20)) | 0
  return hash
}
for (const name of Object.keys(KINDS)) {
  const hash = hashOf(name)
  if (HASHES[hash & (SLOTS - 1)] !== 0) throw new Error(`Two names share a slot: ${name}`)
  HASHES[hash & (SLOTS - 1)] = hash
}

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

/**
 * Rewrites the links of a page that comes in pieces, byte for byte outside the tags that change. What it holds back never
 * grows with the page: at most one start tag, and where it is asked for the content of one link. It follows the tokenizer
 * of the HTML standard as {@link walkTags} does; in SVG or MathML that is nested wrongly the two may differ.
 */
export class MarkupStream {
  readonly #rewrite: TagRewriter
  readonly #encoding: string
  readonly #unit: 1 | 2
  readonly #needsContent: boolean
  #carry: Uint8Array = NOTHING
  #mode: Mode
  #rawName = ''
  #isEscaped = false
  #isDoubled = false
  #templates = 0
  readonly #foreign: ForeignElement[] = []
  #baseHref: string | null = null
  #baseTarget: string | null = null

  readonly #readBytes: (bytes: Uint8Array) => string

  /**
   * @param encoding - name by the Encoding standard, lower case
   * @param readBytes - one character for each byte, ASCII as itself; where the runtime has a faster way than our own
   */
  constructor(
    rewrite: TagRewriter,
    {
      encoding,
      needsContent,
      readBytes = oneByOne,
    }: { encoding: string; needsContent: boolean; readBytes?: ((bytes: Uint8Array) => string) | undefined },
  ) {
    this.#rewrite = rewrite
    this.#readBytes = readBytes
    this.#encoding = encoding
    this.#unit = unitOf(encoding)
    this.#needsContent = needsContent
    this.#mode = isStateful(encoding) ? Mode.Pass : Mode.Data
  }

  /** Takes the next piece. @returns what can go on, in order; the pieces may be views of `chunk` */
  push(chunk: Uint8Array): Uint8Array[] {
    if (this.#mode === Mode.Pass) return chunk.length > 0 ? [chunk] : []
    return this.#work(this.#carry.length === 0 ? chunk : join(this.#carry, chunk), false)
  }

  /** The page is over. @returns what was still held back */
  end(): Uint8Array[] {
    const rest = this.#carry
    this.#carry = NOTHING
    return rest.length === 0 ? [] : this.#mode === Mode.Pass ? [rest] : this.#work(rest, true)
  }

  /** @param isLast - nothing comes after `bytes` */
  #work(bytes: Uint8Array, isLast: boolean): Uint8Array[] {
    const unit = this.#unit
    const text = this.#textOf(bytes)
    const end = text.length
    const out: Uint8Array[] = []
    let sent = 0
    let i = 0
    /** Sends everything before a unit on. */
    const flush = (to: number): void => {
      if (to > sent) out.push(bytes.subarray(sent * unit, to * unit))
      sent = to
    }
    /** Keeps everything from a unit on until more has come. */
    const hold = (from: number): Uint8Array[] => {
      flush(from)
      this.#carry = bytes.slice(from * unit)
      if (isLast && this.#carry.length > 0) {
        out.push(this.#carry)
        this.#carry = NOTHING
      } else if (this.#carry.length > TAG_HOLD_BYTES) {
        this.#mode = Mode.Pass
        out.push(this.#carry)
        this.#carry = NOTHING
      }
      return out
    }
    while (i < end) {
      switch (this.#mode) {
        case Mode.Comment: {
          const at = endOfComment(text, i)
          if (at === -1) return hold(Math.max(i, end - 3))
          i = at
          this.#mode = Mode.Data
          break
        }
        case Mode.Bogus: {
          const at = text.indexOf('>', i)
          if (at === -1) return hold(end)
          i = at + 1
          this.#mode = Mode.Data
          break
        }
        case Mode.Cdata: {
          const at = text.indexOf(']]>', i)
          if (at === -1) return hold(Math.max(i, end - 2))
          i = at + 3
          this.#mode = Mode.Data
          break
        }
        case Mode.Raw: {
          const name = this.#rawName
          let at = text.indexOf('<', i)
          for (; at !== -1; at = text.indexOf('<', at + 1)) {
            if (at + name.length + 2 >= end) break
            if (isEndTagOf(text, name, at)) break
          }
          if (at === -1) return hold(end)
          if (at + name.length + 2 >= end && !isLast) return hold(at)
          if (at + name.length + 2 >= end) return hold(end)
          i = at
          this.#mode = Mode.Data
          break
        }
        case Mode.Script: {
          const at = this.#endOfScript(text, i, end, isLast)
          if (at < 0) return hold(-at - 1)
          i = at
          this.#mode = Mode.Data
          break
        }
        case Mode.Pass:
          flush(end)
          return out
        default: {
          const lt = text.indexOf('<', i)
          if (lt === -1) return hold(end)
          if (lt + 1 >= end) return hold(lt)
          const c = text.charCodeAt(lt + 1)
          const low = c | 0x20
          if (low >= 0x61 && low <= 0x7a) {
            // Most tags are none of ours and only looked at for their end.
            let nameEnd = lt + 2
            let hash = low
            for (; nameEnd < end; nameEnd++) {
              const letter = text.charCodeAt(nameEnd)
              if (letter === 0x3e || letter === 0x2f || isSpace(letter)) break
              hash = (Math.imul(hash, 31) + (letter | 0x20)) | 0
            }
            const tagEnd = text.charCodeAt(nameEnd) === 0x3e ? nameEnd + 1 : endOfTag(text, nameEnd)
            if (tagEnd === -1) return hold(lt)
            if (HASHES[hash & (SLOTS - 1)] === hash || this.#foreign.length > 0) {
              const next = this.#open({ bytes, text, lt, nameEnd, tagEnd, end, isLast, sent, out })
              if (next === -1) return hold(lt)
              if (next >= 0) sent = next
            }
            i = tagEnd
          } else if (c === 0x2f) {
            if (lt + 2 >= end) return hold(lt)
            if (isLetter(text.charCodeAt(lt + 2))) {
              const nameEnd = endOfName(text, lt + 3, end)
              const tagEnd = text.charCodeAt(nameEnd) === 0x3e ? nameEnd + 1 : endOfTag(text, nameEnd)
              if (tagEnd === -1) return hold(lt)
              if (this.#foreign.length > 0 || this.#templates > 0) this.#close(nameOf(text, lt + 2, nameEnd))
              i = tagEnd
            } else {
              this.#mode = Mode.Bogus
              i = lt + 2
            }
          } else if (c === 0x21) {
            if (end - lt < 9 && !isLast) return hold(lt)
            if (text.charCodeAt(lt + 2) === 0x2d && text.charCodeAt(lt + 3) === 0x2d) {
              // "<!-->" and "<!--->" are whole comments; "--!>" ends none before its own dashes.
              const plain = text.indexOf('-->', lt + 2)
              if (plain !== -1 && plain < lt + 4) i = plain + 3
              else {
                this.#mode = Mode.Comment
                i = lt + 4
              }
            } else if (this.#inForeign() && text.startsWith('[CDATA[', lt + 2)) {
              this.#mode = Mode.Cdata
              i = lt + 9
            } else {
              this.#mode = Mode.Bogus
              i = lt + 2
            }
          } else if (c === 0x3f) {
            this.#mode = Mode.Bogus
            i = lt + 2
          } else i = lt + 1
        }
      }
    }
    return hold(end)
  }

  /** One character for each byte, or for each unit of two bytes; an odd last byte is left out. */
  #textOf(bytes: Uint8Array): string {
    if (this.#unit === 1) return this.#readBytes(bytes)
    return new TextDecoder(this.#encoding, { ignoreBOM: true }).decode(bytes.subarray(0, bytes.length & ~1))
  }

  #inForeign(): boolean {
    return this.#foreign[this.#foreign.length - 1]?.html === false
  }

  /**
   * A start tag that may matter.
   * @returns -1 when more must come first; -2 when it goes on as it is; else how far the output has been sent
   */
  #open({
    bytes,
    text,
    lt,
    nameEnd,
    tagEnd,
    end,
    isLast,
    sent,
    out,
  }: {
    bytes: Uint8Array
    text: string
    lt: number
    nameEnd: number
    tagEnd: number
    end: number
    isLast: boolean
    /** How far the output has been sent. */
    sent: number
    out: Uint8Array[]
  }): number {
    let isForeign = this.#foreign.length > 0 && this.#inForeign()
    const name = nameOf(text, lt + 1, nameEnd)
    const isSelfClosing = text.charCodeAt(tagEnd - 2) === 0x2f
    const tagText = (): string => this.#decode(bytes, lt, tagEnd)
    if (isForeign && endsForeign(name === 'font' ? tagText() : '', name, nameEnd - lt, tagEnd - lt)) {
      while (this.#inForeign()) this.#foreign.pop()
      isForeign = false
    }
    const enterForeign = (): void => {
      if (!isSelfClosing)
        this.#foreign.push(foreignElement(name === 'annotation-xml' ? tagText() : '', name, nameEnd - lt, tagEnd - lt, this.#foreign))
    }
    const kind = KINDS[name]
    if (kind === Kind.Link || kind === Kind.Area || kind === Kind.Base) {
      let answer = -2
      if (this.#templates === 0 && !(isForeign && kind !== Kind.Link)) {
        answer =
          kind === Kind.Base
            ? this.#base(bytes, lt, nameEnd, tagEnd)
            : this.#link({ bytes, text, lt, tagEnd, end, isLast, isForeign, element: kind === Kind.Link ? 'a' : 'area', sent, out })
        if (answer === -1) return -1
      }
      if (isForeign) enterForeign()
      return answer
    }
    if (isForeign || kind === Kind.Foreign) {
      enterForeign()
      return -2
    }
    if (kind === Kind.Template) this.#templates++
    else if (kind === Kind.Raw) {
      this.#mode = Mode.Raw
      this.#rawName = name
    } else if (kind === Kind.Script) {
      this.#mode = Mode.Script
      this.#isEscaped = false
      this.#isDoubled = false
    } else if (kind === Kind.Plaintext) this.#mode = Mode.Pass
    return -2
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

  #base(bytes: Uint8Array, lt: number, nameEnd: number, tagEnd: number): -2 {
    if (this.#baseHref !== null && this.#baseTarget !== null) return -2
    const tag = this.#decode(bytes, lt, tagEnd)
    const attributes = readAttributes(tag, nameEnd - lt)
    this.#baseHref ??= valueNamed(tag, attributes, 'href')
    this.#baseTarget ??= valueNamed(tag, attributes, 'target')
    return -2
  }

  #link({
    bytes,
    text,
    lt,
    tagEnd,
    end,
    isLast,
    isForeign,
    element,
    sent,
    out,
  }: {
    bytes: Uint8Array
    text: string
    lt: number
    tagEnd: number
    end: number
    isLast: boolean
    isForeign: boolean
    element: 'a' | 'area'
    /** How far the output has been sent. */
    sent: number
    out: Uint8Array[]
  }): number {
    let content: string | null = null
    if (this.#needsContent && element === 'a') {
      const contentEnd = endOfContent(text, tagEnd, Math.min(end, tagEnd + CONTENT_HOLD_BYTES))
      if (contentEnd === -1 && !isLast && end - tagEnd < CONTENT_HOLD_BYTES) return -1
      if (contentEnd !== -1 || isLast) content = this.#decode(bytes, tagEnd, contentEnd === -1 ? end : contentEnd)
    }
    const raw = bytes.subarray(lt * this.#unit, tagEnd * this.#unit)
    const written = text.slice(lt, tagEnd)
    const isPlain = this.#unit === 1 && isAscii(written)
    const tag = isPlain ? written : decodeSource(raw, this.#encoding)
    const patches = this.#rewrite({ element, tag, content, isForeign, baseHref: this.#baseHref, baseTarget: this.#baseTarget })
    if (patches.length === 0) return -2
    if (isPlain && patches.every(({ insert }) => isAscii(insert))) {
      // The usual case: offsets in the tag are offsets in its bytes.
      let at = sent
      for (const { from, to, insert } of patches) {
        out.push(bytes.subarray(at, lt + from), bytesOf(insert))
        at = lt + to
      }
      return at
    }
    const patched = patchBytes(raw, this.#encoding, tag, patches)
    if (!patched.ok) return -2
    out.push(bytes.subarray(sent * this.#unit, lt * this.#unit), patched.value)
    return tagEnd
  }

  /** Script data with its escaped states. @returns where the end tag starts; below zero what is to be kept: -(from) - 1 */
  #endOfScript(text: string, from: number, end: number, isLast: boolean): number {
    for (let i = from; i < end; ) {
      const c = text.charCodeAt(i)
      if (c !== 0x3c && c !== 0x2d) {
        i++
        continue
      }
      if (end - i < 9 && !isLast) return -i - 1
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
    return -end - 1
  }
}

function join(a: Uint8Array, b: Uint8Array): Uint8Array {
  const both = new Uint8Array(a.length + b.length)
  both.set(a)
  both.set(b, a.length)
  return both
}

const isLetter = (c: number): boolean => (c >= 0x61 && c <= 0x7a) || (c >= 0x41 && c <= 0x5a)

function endOfName(text: string, from: number, end: number): number {
  let i = from
  for (; i < end; i++) {
    const c = text.charCodeAt(i)
    if (c === 0x3e || c === 0x2f || isSpace(c)) break
  }
  return i
}

const nameOf = (text: string, from: number, to: number): string => text.slice(from, to).toLowerCase()

const found: TagEnd = { end: -1, selfClosing: false }
/** Past the ">" of a tag whose name ends at `from`; -1 when it is not there yet. */
function endOfTag(text: string, from: number): number {
  readTag(text, from, null, found)
  return found.end
}

/** Past "-->" or "--!>"; -1 when neither is there. */
function endOfComment(text: string, from: number): number {
  const plain = text.indexOf('-->', from)
  const bang = text.indexOf('--!>', from)
  if (bang !== -1 && (plain === -1 || bang < plain)) return bang + 4
  return plain === -1 ? -1 : plain + 3
}

function isNameAt(text: string, name: string, at: number): boolean {
  for (let k = 0; k < name.length; k++) if ((text.charCodeAt(at + k) | 0x20) !== name.charCodeAt(k)) return false
  const c = text.charCodeAt(at + name.length)
  return c === 0x3e || c === 0x2f || isSpace(c)
}
const isEndTagOf = (text: string, name: string, at: number): boolean => text.charCodeAt(at + 1) === 0x2f && isNameAt(text, name, at + 2)
const isStartTagOf = (text: string, name: string, at: number): boolean => isNameAt(text, name, at + 1)

/** Where a link ends: its end tag, or the start of another link. -1 when neither is there. */
function endOfContent(text: string, from: number, end: number): number {
  for (let at = text.indexOf('<', from); at !== -1 && at + 3 < end; at = text.indexOf('<', at + 1)) {
    if (isEndTagOf(text, 'a', at) || isStartTagOf(text, 'a', at)) return at
  }
  return -1
}

const isAscii = (text: string): boolean => !/[^\0-\x7f]/.test(text)

/** What is put in is nearly always one of a few marks. */
const REMEMBERED_MAX = 500
const written = new Map<string, Uint8Array>()
function bytesOf(text: string): Uint8Array {
  const known = written.get(text)
  if (known !== undefined) return known
  const bytes = new TextEncoder().encode(text)
  if (written.size >= REMEMBERED_MAX) written.clear()
  written.set(text, bytes)
  return bytes
}
