import { isSpace, readAttributes, valueNamed } from './attributes.ts'
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

/** Encodings in which a byte below 0x40 always stands for itself, wherever it stands, and those of two bytes a unit. */
const isStateful = (encoding: string): boolean => encoding === 'iso-2022-jp' || encoding === 'replacement'
const unitOf = (encoding: string): 1 | 2 => (encoding === 'utf-16le' || encoding === 'utf-16be' ? 2 : 1)

const enum Kind {
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
/** First letters of the names that matter: any other tag is passed over by its first byte. */
const FIRST = new Uint8Array(256)
for (const name of Object.keys(KINDS)) {
  FIRST[name.charCodeAt(0)] = 1
  FIRST[name.charCodeAt(0) - 32] = 1
}
const NAME_MAX = 9

const enum Mode {
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

  /** @param encoding - name by the Encoding standard, lower case */
  constructor(rewrite: TagRewriter, { encoding, needsContent }: { encoding: string; needsContent: boolean }) {
    this.#rewrite = rewrite
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
    const units = unit === 1 ? bytes : shadow(bytes, this.#encoding === 'utf-16be')
    const end = units.length
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
          const at = endOfComment(units, i, end)
          if (at === -1) return hold(Math.max(i, end - 3))
          i = at
          this.#mode = Mode.Data
          break
        }
        case Mode.Bogus: {
          const at = units.indexOf(0x3e, i)
          if (at === -1) return hold(end)
          i = at + 1
          this.#mode = Mode.Data
          break
        }
        case Mode.Cdata: {
          const at = indexOfText(units, ']]>', i)
          if (at === -1) return hold(Math.max(i, end - 2))
          i = at + 3
          this.#mode = Mode.Data
          break
        }
        case Mode.Raw: {
          const name = this.#rawName
          let at = units.indexOf(0x3c, i)
          for (; at !== -1; at = units.indexOf(0x3c, at + 1)) {
            if (at + name.length + 2 >= end) break
            if (isEndTagOf(units, name, at)) break
          }
          if (at === -1) return hold(end)
          if (at + name.length + 2 >= end && !isLast) return hold(at)
          if (at + name.length + 2 >= end) return hold(end)
          i = at
          this.#mode = Mode.Data
          break
        }
        case Mode.Script: {
          const at = this.#endOfScript(units, i, end, isLast)
          if (at < 0) return hold(-at - 1)
          i = at
          this.#mode = Mode.Data
          break
        }
        case Mode.Pass:
          flush(end)
          return out
        default: {
          const lt = units.indexOf(0x3c, i)
          if (lt === -1) return hold(end)
          if (lt + 1 >= end) return hold(lt)
          const c = units[lt + 1] ?? 0
          if (isLetter(c)) {
            const nameEnd = endOfName(units, lt + 2, end)
            const isForeign = this.#inForeign()
            // Most tags are none of ours and only looked at for their end.
            const isOurs = FIRST[c] === 1 || this.#foreign.length > 0
            const tagEnd = endOfTag(units, nameEnd, end)
            if (tagEnd === -1) return hold(lt)
            if (isOurs) {
              const next = this.#open({ bytes, units, lt, nameEnd, tagEnd, end, isLast, isForeign, flush, out })
              if (next === -1) return hold(lt)
              if (next >= 0) sent = next
            }
            i = tagEnd
          } else if (c === 0x2f) {
            if (lt + 2 >= end) return hold(lt)
            const first = units[lt + 2] ?? 0
            if (isLetter(first)) {
              const nameEnd = endOfName(units, lt + 3, end)
              const tagEnd = endOfTag(units, nameEnd, end)
              if (tagEnd === -1) return hold(lt)
              if (this.#foreign.length > 0 || this.#templates > 0) this.#close(nameOf(units, lt + 2, nameEnd))
              i = tagEnd
            } else {
              this.#mode = Mode.Bogus
              i = lt + 2
            }
          } else if (c === 0x21) {
            if (end - lt < 9 && !isLast) return hold(lt)
            if (units[lt + 2] === 0x2d && units[lt + 3] === 0x2d) {
              // "<!-->" and "<!--->" are whole comments; "--!>" ends none before its own dashes.
              const plain = indexOfText(units, '-->', lt + 2)
              if (plain !== -1 && plain < lt + 4) i = plain + 3
              else {
                this.#mode = Mode.Comment
                i = lt + 4
              }
            } else if (this.#inForeign() && startsWith(units, '[CDATA[', lt + 2)) {
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

  #inForeign(): boolean {
    return this.#foreign[this.#foreign.length - 1]?.html === false
  }

  /**
   * A start tag that may matter.
   * @returns -1 when more must come first; -2 when it goes on as it is; else how far the output has been sent
   */
  #open({
    bytes,
    units,
    lt,
    nameEnd,
    tagEnd,
    end,
    isLast,
    isForeign: wasForeign,
    flush,
    out,
  }: {
    bytes: Uint8Array
    units: Uint8Array
    lt: number
    nameEnd: number
    tagEnd: number
    end: number
    isLast: boolean
    isForeign: boolean
    flush: (to: number) => void
    out: Uint8Array[]
  }): number {
    let isForeign = wasForeign
    if (nameEnd - lt - 1 > NAME_MAX && this.#foreign.length === 0) return -2
    const name = nameOf(units, lt + 1, nameEnd)
    const isSelfClosing = units[tagEnd - 2] === 0x2f
    const tagText = (): string => this.#decode(bytes, lt, tagEnd)
    if (isForeign && endsForeign(name === 'font' ? tagText() : '', name, nameEnd - lt, tagEnd - lt)) {
      while (this.#inForeign()) this.#foreign.pop()
      isForeign = false
    }
    const enterForeign = (): void => {
      if (!isSelfClosing) this.#foreign.push(foreignElement(name === 'annotation-xml' ? tagText() : '', name, nameEnd - lt, tagEnd - lt, this.#foreign))
    }
    const kind = KINDS[name]
    if (kind === Kind.Link || kind === Kind.Area || kind === Kind.Base) {
      let answer = -2
      if (this.#templates === 0 && !(isForeign && kind !== Kind.Link)) {
        answer =
          kind === Kind.Base
            ? this.#base(bytes, lt, nameEnd, tagEnd)
            : this.#link({ bytes, units, lt, tagEnd, end, isLast, isForeign, element: kind === Kind.Link ? 'a' : 'area', flush, out })
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
    units,
    lt,
    tagEnd,
    end,
    isLast,
    isForeign,
    element,
    flush,
    out,
  }: {
    bytes: Uint8Array
    units: Uint8Array
    lt: number
    tagEnd: number
    end: number
    isLast: boolean
    isForeign: boolean
    element: 'a' | 'area'
    flush: (to: number) => void
    out: Uint8Array[]
  }): number {
    let content: string | null = null
    if (this.#needsContent && element === 'a') {
      const contentEnd = endOfContent(units, tagEnd, Math.min(end, tagEnd + CONTENT_HOLD_BYTES))
      if (contentEnd === -1 && !isLast && end - tagEnd < CONTENT_HOLD_BYTES) return -1
      if (contentEnd !== -1 || isLast) content = this.#decode(bytes, tagEnd, contentEnd === -1 ? end : contentEnd)
    }
    const raw = bytes.subarray(lt * this.#unit, tagEnd * this.#unit)
    const plain = this.#unit === 1 ? asciiOf(raw) : null
    const tag = plain ?? decodeSource(raw, this.#encoding)
    const patches = this.#rewrite({ element, tag, content, isForeign, baseHref: this.#baseHref, baseTarget: this.#baseTarget })
    if (patches.length === 0) return -2
    if (plain !== null && patches.every(({ insert }) => isAscii(insert))) {
      // The usual case: offsets in the tag are offsets in its bytes.
      for (const { from, to, insert } of patches) {
        flush(lt + from)
        out.push(bytesOf(insert))
        flushSkip(flush, out, lt + to)
      }
      return lt + (patches[patches.length - 1]?.to ?? 0)
    }
    const patched = patchBytes(raw, this.#encoding, tag, patches)
    if (!patched.ok) return -2
    flush(lt)
    out.push(patched.value)
    return tagEnd
  }

  /** Script data with its escaped states. @returns where the end tag starts; below zero what is to be kept: -(from) - 1 */
  #endOfScript(units: Uint8Array, from: number, end: number, isLast: boolean): number {
    for (let i = from; i < end; ) {
      const c = units[i]
      if (c !== 0x3c && c !== 0x2d) {
        i++
        continue
      }
      if (end - i < 9 && !isLast) return -i - 1
      if (startsWith(units, '<!--', i)) {
        this.#isEscaped = true
        i += 2 // "<!-->" opens and ends at once
      } else if (startsWith(units, '-->', i)) {
        this.#isEscaped = false
        this.#isDoubled = false
        i += 3
      } else if (c === 0x3c && isEndTagOf(units, 'script', i)) {
        if (!this.#isDoubled) return i
        this.#isDoubled = false
        i += 8
      } else if (c === 0x3c && isStartTagOf(units, 'script', i)) {
        if (this.#isEscaped) this.#isDoubled = true
        i += 7
      } else i++
    }
    return -end - 1
  }
}

/** Moves on without sending: what a patch replaces. */
function flushSkip(flush: (to: number) => void, out: Uint8Array[], to: number): void {
  const before = out.length
  flush(to)
  out.length = before
}

function join(a: Uint8Array, b: Uint8Array): Uint8Array {
  const both = new Uint8Array(a.length + b.length)
  both.set(a)
  both.set(b, a.length)
  return both
}

/** One byte for each unit of two, with everything that is no ASCII as 0xFF. An odd last byte is left out. */
function shadow(bytes: Uint8Array, isBigEndian: boolean): Uint8Array {
  const units = new Uint8Array(bytes.length >> 1)
  for (let i = 0; i < units.length; i++) {
    const high = bytes[i * 2 + (isBigEndian ? 0 : 1)] ?? 0
    const low = bytes[i * 2 + (isBigEndian ? 1 : 0)] ?? 0
    units[i] = high === 0 && low < 0x80 ? low : 0xff
  }
  return units
}

const isLetter = (c: number): boolean => (c >= 0x61 && c <= 0x7a) || (c >= 0x41 && c <= 0x5a)

function endOfName(units: Uint8Array, from: number, end: number): number {
  let i = from
  for (; i < end; i++) {
    const c = units[i] ?? 0
    if (c === 0x3e || c === 0x2f || isSpace(c)) break
  }
  return i
}

function nameOf(units: Uint8Array, from: number, to: number): string {
  let name = ''
  for (let i = from; i < Math.min(to, from + 40); i++) name += String.fromCharCode(units[i] ?? 0)
  return name.toLowerCase()
}

/** Past the ">" of a tag whose name ends at `from`, as {@link readTag} finds it; -1 when it is not there yet. */
function endOfTag(units: Uint8Array, from: number, end: number): number {
  let i = from
  for (;;) {
    for (; i < end; i++) {
      const c = units[i] ?? 0
      if (c !== 0x2f && !isSpace(c)) break
    }
    if (i >= end) return -1
    if (units[i] === 0x3e) return i + 1
    for (i++; i < end; i++) {
      const c = units[i] ?? 0
      if (c === 0x3d || c === 0x3e || c === 0x2f || isSpace(c)) break
    }
    let j = i
    while (j < end && isSpace(units[j] ?? 0)) j++
    if (j >= end) return -1
    if (units[j] !== 0x3d) {
      i = j
      continue
    }
    j++
    while (j < end && isSpace(units[j] ?? 0)) j++
    if (j >= end) return -1
    const open = units[j]
    if (open === 0x22 || open === 0x27) {
      const close = units.indexOf(open, j + 1)
      if (close === -1) return -1
      i = close + 1
    } else {
      for (; j < end; j++) {
        const c = units[j] ?? 0
        if (c === 0x3e || isSpace(c)) break
      }
      i = j
    }
  }
}

function startsWith(units: Uint8Array, text: string, at: number): boolean {
  for (let k = 0; k < text.length; k++) if (units[at + k] !== text.charCodeAt(k)) return false
  return true
}

function indexOfText(units: Uint8Array, text: string, from: number): number {
  for (let at = units.indexOf(text.charCodeAt(0), from); at !== -1; at = units.indexOf(text.charCodeAt(0), at + 1)) {
    if (startsWith(units, text, at)) return at
  }
  return -1
}

/** Past "-->" or "--!>"; -1 when neither is there. */
function endOfComment(units: Uint8Array, from: number, end: number): number {
  for (let at = units.indexOf(0x2d, from); at !== -1 && at + 2 < end; at = units.indexOf(0x2d, at + 1)) {
    if (units[at + 1] !== 0x2d) continue
    if (units[at + 2] === 0x3e) return at + 3
    if (units[at + 2] === 0x21 && units[at + 3] === 0x3e) return at + 4
  }
  return -1
}

function isNameAt(units: Uint8Array, name: string, at: number): boolean {
  for (let k = 0; k < name.length; k++) if (((units[at + k] ?? 0) | 0x20) !== name.charCodeAt(k)) return false
  const c = units[at + name.length] ?? 0
  return c === 0x3e || c === 0x2f || isSpace(c)
}
const isEndTagOf = (units: Uint8Array, name: string, at: number): boolean => units[at + 1] === 0x2f && isNameAt(units, name, at + 2)
const isStartTagOf = (units: Uint8Array, name: string, at: number): boolean => isNameAt(units, name, at + 1)

/** Where a link ends: its end tag, or the start of another link. -1 when neither is there. */
function endOfContent(units: Uint8Array, from: number, end: number): number {
  for (let at = units.indexOf(0x3c, from); at !== -1 && at + 3 < end; at = units.indexOf(0x3c, at + 1)) {
    if (isEndTagOf(units, 'a', at) || isStartTagOf(units, 'a', at)) return at
  }
  return -1
}

/** The bytes as text where all are ASCII; null otherwise. */
function asciiOf(bytes: Uint8Array): string | null {
  let text = ''
  for (let i = 0; i < bytes.length; i++) {
    const c = bytes[i] ?? 0
    if (c >= 0x80) return null
    text += String.fromCharCode(c)
  }
  return text
}

function isAscii(text: string): boolean {
  for (let i = 0; i < text.length; i++) if (text.charCodeAt(i) >= 0x80) return false
  return true
}

function bytesOf(text: string): Uint8Array {
  const bytes = new Uint8Array(text.length)
  for (let i = 0; i < text.length; i++) bytes[i] = text.charCodeAt(i)
  return bytes
}
