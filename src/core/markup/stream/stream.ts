import { type Patch, type PatchSet, patchBytes } from '../bytes/index.ts'
import { valuePatch } from '../links/index.ts'
import { type AnswerSink, type LinkRewriter, PageReader, type Passage, type QuickAnswer, type ReadingOptions } from './reading.ts'
import { type LinkNote, scanner } from './scanner.ts'

export interface StreamOptions extends ReadingOptions {
  /** Room for so many bytes, whatever they are; where the runtime has a faster way than to clear it first. */
  readonly room?: ((bytes: number) => Uint8Array) | undefined
}

/** Longest start tag that is held back to be rewritten; a page with a longer one goes through as it is from there on. */
export const TAG_HOLD_BYTES = 4 * 1024 * 1024

const NOTHING = new Uint8Array(0)

/**
 * Rewrites the links of a page that comes in pieces, byte for byte outside the tags that change. What it holds back never
 * grows with the page: at most one start tag, and where it is asked for the content of one link. See {@link PageReader}.
 */
export class MarkupStream<Group = never> implements AnswerSink {
  readonly #reader: PageReader<Group>
  readonly #encoding: string
  readonly #room: (bytes: number) => Uint8Array
  /** In order of place, three numbers each: from, to, and the length of what comes there, in bytes. */
  #edits: number[] = []
  #inserts: Uint8Array[] = []
  #carry: Uint8Array = NOTHING

  constructor(rewriter: LinkRewriter<Group>, options: StreamOptions) {
    this.#reader = new PageReader(rewriter, options, this)
    this.#encoding = options.encoding
    this.#room = options.room ?? ((bytes) => new Uint8Array(bytes))
  }

  /** Takes the next piece. @returns what can go on, in order; the pieces may be views of `chunk` */
  push(chunk: Uint8Array): Uint8Array[] {
    if (this.#reader.isPassing) return chunk.length > 0 ? [chunk] : []
    // A plain view: what is cut out of a runtime's own kind of array costs several times as much.
    const plain = new Uint8Array(chunk.buffer, chunk.byteOffset, chunk.length)
    return this.#work(this.#carry.length === 0 ? plain : join(this.#carry, plain), false)
  }

  /** The page is over. @returns what was still held back */
  end(): Uint8Array[] {
    const rest = this.#carry
    this.#carry = NOTHING
    return rest.length === 0 ? [] : this.#reader.isPassing ? [rest] : this.#work(rest, true)
  }

  #work(bytes: Uint8Array, isLast: boolean): Uint8Array[] {
    const read = this.#reader.read(bytes, isLast)
    const done = this.#written(bytes, read)
    const kept = bytes.subarray(read)
    const goes = isLast || kept.length > TAG_HOLD_BYTES
    if (goes && !isLast) this.#reader.giveUp()
    this.#carry = goes ? NOTHING : kept.slice()
    return [done, goes ? kept : NOTHING].filter((piece) => piece.length > 0)
  }

  /** The bytes up to an offset with what was changed; a view of them where nothing was. */
  #written(bytes: Uint8Array, read: number): Uint8Array {
    if (this.#inserts.length === 0) return bytes.subarray(0, read)
    if (this.#reader.unit === 2) scanner().load(bytes)
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

  quick({ units }: Passage, note: LinkNote, { added, rel, target }: QuickAnswer): void {
    const { hrefOuterEnd, relStart, relEnd, targetStart, targetEnd } = note
    if (rel === null && target === null) return this.#edit(hrefOuterEnd, hrefOuterEnd, bytesOf(added))
    const patches: Patch[] = added === '' ? [] : [{ from: hrefOuterEnd, to: hrefOuterEnd, insert: added }]
    if (rel !== null) patches.push(valuePatch(units[relStart - 1] ?? 0, relStart, relEnd, rel))
    if (target !== null) patches.push(valuePatch(units[targetStart - 1] ?? 0, targetStart, targetEnd, target))
    for (const { from, to, insert } of patches.sort((a, b) => a.from - b.from)) this.#edit(from, to, bytesOf(insert))
  }

  whole({ bytes }: Passage, { start, end }: LinkNote, tag: string, patches: PatchSet): void {
    const { unit } = this.#reader
    if (unit === 1 && isAscii(tag) && patches.every(({ insert }) => isAscii(insert))) {
      // The usual case: offsets in the tag are offsets in its bytes.
      for (const { from, to, insert } of patches) this.#edit(start + from, start + to, bytesOf(insert))
      return
    }
    const patched = patchBytes(bytes.subarray(start * unit, end * unit), this.#encoding, tag, patches)
    if (patched.ok) this.#edit(start * unit, end * unit, patched.value)
  }
}

function join(a: Uint8Array, b: Uint8Array): Uint8Array {
  const both = new Uint8Array(a.length + b.length)
  both.set(a)
  both.set(b, a.length)
  return both
}

const isAscii = (text: string): boolean => !/[^\0-\x7f]/.test(text)

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
