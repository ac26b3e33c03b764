import { fail, ok, type Result } from '../../result.ts'
import { isSpace } from '../tags/index.ts'
import { applyPatches, isApplicable, type PatchSet } from './patch.ts'

/** How the encoding of a page was found. */
export type EncodingSource = 'byte order mark' | 'declaration' | 'content' | 'default'

export interface SniffedEncoding {
  /** Name by the Encoding standard, lower case, such as "utf-8" or "shift_jis". */
  readonly encoding: string
  readonly source: EncodingSource
}

/** Bytes in which a declaration must stand (HTML, "prescan a byte stream to determine its encoding"). */
const PRESCAN_BYTES = 1024

/**
 * Finds a page's encoding as the HTML standard does for a file: byte order mark, then the declaration in the first 1024
 * bytes, then the content (UTF-8 if it is valid as such), then windows-1252.
 */
export function sniffEncoding(bytes: Uint8Array): SniffedEncoding {
  if (bytes[0] === 0xef && bytes[1] === 0xbb && bytes[2] === 0xbf) return { encoding: 'utf-8', source: 'byte order mark' }
  if (bytes[0] === 0xfe && bytes[1] === 0xff) return { encoding: 'utf-16be', source: 'byte order mark' }
  if (bytes[0] === 0xff && bytes[1] === 0xfe) return { encoding: 'utf-16le', source: 'byte order mark' }
  const declared = prescan(latin1(bytes.subarray(0, PRESCAN_BYTES)))
  if (declared !== null) return { encoding: declared, source: 'declaration' }
  return isUtf8(bytes) ? { encoding: 'utf-8', source: 'content' } : { encoding: 'windows-1252', source: 'default' }
}

function isUtf8(bytes: Uint8Array): boolean {
  try {
    new TextDecoder('utf-8', { fatal: true }).decode(bytes)
    return true
  } catch {
    return false
  }
}

function latin1(bytes: Uint8Array): string {
  let text = ''
  for (const byte of bytes) text += String.fromCharCode(byte)
  return text
}

/** HTML, "prescan a byte stream to determine its encoding", one character a byte. */
function prescan(head: string): string | null {
  if (head.startsWith('<\0?\0x\0')) return 'utf-16le'
  if (head.startsWith('\0<\0?\0x')) return 'utf-16be'
  let i = 0
  while (i < head.length) {
    if (head.startsWith('<!--', i)) {
      const end = head.indexOf('-->', i + 2)
      if (end === -1) break
      i = end + 3
    } else if (/^<meta[\s/]/i.test(head.slice(i, i + 6))) {
      const [found, next] = prescanMeta(head, i + 6)
      if (found !== null) return found
      i = next
    } else if (/^<\/?[a-z]/i.test(head.slice(i, i + 3))) {
      i += 1
      while (i < head.length && head[i] !== '>' && !isSpace(head.charCodeAt(i))) i++
      for (let attribute = prescanAttribute(head, i); ; attribute = prescanAttribute(head, i)) {
        i = attribute.next
        if (attribute.name === null) break
      }
      i++
    } else if (/^<[!/?]/.test(head.slice(i, i + 2))) {
      const end = head.indexOf('>', i)
      if (end === -1) break
      i = end + 1
    } else i++
  }
  const xml = /^<\?xml[^>]*?encoding\s*=\s*(["'])([^"'>]*)\1[^>]*\?>/.exec(head)
  return xml?.[2] === undefined ? null : declaredName(xml[2])
}

function prescanMeta(head: string, from: number): [string | null, number] {
  const seen = new Set<string>()
  let hasPragma = false
  let needsPragma: boolean | null = null
  let charset: string | null = null
  let i = from
  for (;;) {
    const { name, value, next } = prescanAttribute(head, i)
    i = next
    if (name === null) break
    if (seen.has(name)) continue
    seen.add(name)
    if (name === 'http-equiv') hasPragma = value === 'content-type'
    else if (name === 'content' && charset === null) {
      const found = /charset\s*=\s*(?:"([^"]*)"|'([^']*)'|([^\s;"']+))/i.exec(value)
      const label = found?.[1] ?? found?.[2] ?? found?.[3]
      if (label !== undefined) {
        charset = declaredName(label)
        if (charset !== null) needsPragma = true
      }
    } else if (name === 'charset') {
      charset = declaredName(value)
      needsPragma = false
    }
  }
  return [needsPragma === null || (needsPragma && !hasPragma) ? null : charset, i + 1]
}

/** HTML, "get an attribute" of the prescan; `name` is null at the end of the tag, `next` then is the ">". */
function prescanAttribute(head: string, from: number): { name: string | null; value: string; next: number } {
  let i = from
  while (i < head.length && (isSpace(head.charCodeAt(i)) || head[i] === '/')) i++
  if (i >= head.length || head[i] === '>') return { name: null, value: '', next: i }
  const start = i
  while (i < head.length && !(head[i] === '=' && i > start) && !isSpace(head.charCodeAt(i)) && head[i] !== '/' && head[i] !== '>') i++
  const name = head.slice(start, i).toLowerCase()
  let j = i
  while (j < head.length && isSpace(head.charCodeAt(j))) j++
  if (head[j] !== '=') return { name, value: '', next: i }
  j++
  while (j < head.length && isSpace(head.charCodeAt(j))) j++
  const quote = head[j]
  if (quote === '"' || quote === "'") {
    const end = head.indexOf(quote, j + 1)
    const stop = end === -1 ? head.length : end
    return { name, value: head.slice(j + 1, stop).toLowerCase(), next: stop + 1 }
  }
  const valueStart = j
  while (j < head.length && !isSpace(head.charCodeAt(j)) && head[j] !== '>') j++
  return { name, value: head.slice(valueStart, j).toLowerCase(), next: j }
}

/** The encoding for a declared label; a page whose declaration could be read in ASCII cannot be UTF-16 (HTML says UTF-8 then). */
function declaredName(label: string): string | null {
  const trimmed = label.trim().toLowerCase()
  if (trimmed === 'x-user-defined') return 'windows-1252'
  try {
    const name = new TextDecoder(trimmed).encoding
    return name.startsWith('utf-16') ? 'utf-8' : name
  } catch {
    return null
  }
}

/** What the 32 bytes from 0x80 on stand for in windows-1252; the other bytes are their own code points (Encoding standard). */
const WINDOWS_1252_C1 = '€\u0081‚ƒ„…†‡ˆ‰Š‹Œ\u008dŽ\u008f\u0090‘’“”•–—˜™š›œ\u009džŸ'

/**
 * A page's bytes as text. A byte order mark stays, as U+FEFF; undecodable bytes become U+FFFD.
 * @param encoding - a name by the Encoding standard
 */
export function decodeSource(bytes: Uint8Array, encoding: string): string {
  const text = new TextDecoder(encoding, { ignoreBOM: true }).decode(bytes)
  // Node takes windows-1252 for ISO-8859-1; browsers do not.
  return encoding === 'windows-1252' ? text.replace(/[\u0080-\u009f]/g, (c) => WINDOWS_1252_C1.charAt(c.charCodeAt(0) - 0x80)) : text
}

/** Patch sets for stored bytes, each for the text that the one before it leads to. */
export interface PatchOrder {
  readonly bytes: Uint8Array
  readonly encoding: string
  readonly patchSets: readonly PatchSet[]
}

/** {@link patchBytes}, set after set; refused where what is written would not read as what was meant. */
export function patchSource({ bytes, encoding, patchSets }: PatchOrder): Result<Uint8Array, 'patches-unfit' | 'encoding-unpatchable'> {
  let now = bytes
  let text = decodeSource(bytes, encoding)
  for (const patches of patchSets) {
    if (!isApplicable(patches, text.length)) return fail('patches-unfit')
    const next = patchBytes(now, encoding, text, patches)
    if (!next.ok) return next
    now = next.value
    text = applyPatches(text, patches)
    if (decodeSource(now, encoding) !== text) return fail('encoding-unpatchable', { encoding })
  }
  return ok(now)
}

/**
 * Applies patches made on the decoded text to the bytes it came from. Bytes outside the patches are the same bytes; what
 * the encoding cannot write goes in as a character reference.
 * @param text - `decodeSource(bytes, encoding)`; the patches' offsets count in it
 * @returns refused, and nothing done, where the bytes would not read as the patched text
 */
export function patchBytes(
  bytes: Uint8Array,
  encoding: string,
  text: string,
  patches: PatchSet,
): Result<Uint8Array, 'encoding-unpatchable'> {
  if (patches.length === 0) return ok(bytes)
  const offsets = byteOffsets(
    bytes,
    encoding,
    text,
    patches.flatMap((patch) => [patch.from, patch.to]),
  )
  if (offsets === null) return fail('encoding-unpatchable', { encoding })
  const inserts = patches.map((patch) => writableIn(patch.insert, encoding))
  const encoded = inserts.map((insert) => encode(insert, encoding))
  const parts: Uint8Array[] = []
  let at = 0
  for (let i = 0; i < patches.length; i++) {
    const from = offsets[2 * i] ?? 0
    const to = offsets[2 * i + 1] ?? 0
    parts.push(bytes.subarray(at, from), encoded[i] ?? new Uint8Array())
    at = to
  }
  parts.push(bytes.subarray(at))
  const patched = concat(parts)
  if (isSelfSynchronising(encoding, text)) return ok(patched)
  const meant = applyPatches(
    text,
    patches.map((patch, i) => ({ ...patch, insert: inserts[i] ?? '' })),
  )
  return decodeSource(patched, encoding) === meant ? ok(patched) : fail('encoding-unpatchable', { encoding })
}

/** Encodings in which a character's bytes do not depend on what stands around them, so that the result needs no second look. */
function isSelfSynchronising(encoding: string, text: string): boolean {
  return (encoding === 'utf-8' && !text.includes('\uFFFD')) || isSingleByte(encoding)
}

export const isSingleByte = (encoding: string): boolean => /^(?:windows-|iso-8859-|koi8-|macintosh$|x-mac-|ibm866$)/.test(encoding)

/** Text that the encoding can write: characters it may lack become character references. */
export function writableIn(text: string, encoding: string): string {
  if (encoding === 'utf-8' || encoding.startsWith('utf-16')) return text
  return text.replace(/[^\0-\x7f]/gu, (character) => `&#${character.codePointAt(0)};`)
}

function encode(text: string, encoding: string): Uint8Array {
  if (!encoding.startsWith('utf-16')) return new TextEncoder().encode(text)
  const out = new Uint8Array(text.length * 2)
  const view = new DataView(out.buffer)
  for (let i = 0; i < text.length; i++) view.setUint16(2 * i, text.charCodeAt(i), encoding === 'utf-16le')
  return out
}

function concat(parts: readonly Uint8Array[]): Uint8Array {
  const out = new Uint8Array(parts.reduce((sum, part) => sum + part.length, 0))
  let at = 0
  for (const part of parts) {
    out.set(part, at)
    at += part.length
  }
  return out
}

/** The byte offsets of character offsets, which must rise; null where the platform's decoder gives up on broken bytes. */
function byteOffsets(bytes: Uint8Array, encoding: string, text: string, at: readonly number[]): readonly number[] | null {
  if (isSingleByte(encoding)) return at
  if (encoding.startsWith('utf-16')) return at.map((offset) => offset * 2)
  if (encoding === 'utf-8' && !text.includes('\uFFFD')) return utf8Offsets(text, at)
  try {
    return streamedOffsets(bytes, encoding, text, at)
  } catch {
    return null // Node's streaming GB18030 decoder throws at a four-byte sequence that is cut off
  }
}

function utf8Offsets(text: string, at: readonly number[]): readonly number[] {
  let chars = 0
  let bytes = 0
  return at.map((offset) => {
    for (; chars < offset; chars++) {
      const c = text.charCodeAt(chars)
      // Each half of a surrogate pair stands for two of its four bytes.
      bytes += c < 0x80 ? 1 : c < 0x800 || (c >= 0xd800 && c <= 0xdfff) ? 2 : 3
    }
    return bytes
  })
}

/** Most characters a decoder may owe for bytes it was fed before (GB18030 holds back three). */
const OWED_CHARS = 8

/**
 * Any encoding: feeds the decoder and watches which byte brings which character out, in strides that cannot overshoot.
 * An ASCII character is the byte that brings it out; before any other character the boundary is behind the one before it.
 */
function streamedOffsets(bytes: Uint8Array, encoding: string, text: string, at: readonly number[]): readonly number[] {
  const decoder = new TextDecoder(encoding, { ignoreBOM: true })
  let emitted = 0
  let fed = 0
  return at.map((offset) => {
    if (offset === 0) return 0
    if (offset >= text.length) return bytes.length
    const isAscii = text.charCodeAt(offset) < 0x80
    const character = isAscii ? offset : offset - 1
    while (emitted <= character && fed < bytes.length) {
      const gap = character - emitted
      const stride = gap > 2 * OWED_CHARS ? gap - OWED_CHARS : 1
      emitted += decoder.decode(bytes.subarray(fed, fed + stride), { stream: true }).length
      fed += stride
    }
    return isAscii ? fed - 1 : fed
  })
}
