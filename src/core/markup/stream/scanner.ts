import { SCAN_KERNEL } from './kernel/index.ts'

/** Why a scan stopped; as in `kernel/source/memory.ts`, like the modes and places below. */
export enum Stop {
  AtEnd,
  /** More must come before what is there can be read. */
  Waits,
  /** A start tag that it does not go by itself: SVG, MathML, `template`, `base`, `plaintext`. */
  AtTag,
  /** There is more to be read, by whoever asked. */
  Paused,
}

/** How the bytes that follow are read. */
export enum Mode {
  Data,
  Comment,
  Bogus,
  Cdata,
  Raw,
  Script,
  /** Not at all: whatever comes goes through. */
  Pass,
}

/** What a destination looks like, to somebody who does not parse it; as in `kernel/source/notes.ts`. */
export enum Form {
  /** Anything. */
  Other,
  /** Absolute, "http" or "https", without a port. The key is the host, which is in lower case. */
  Host,
  /**
   * A relative path in which the URL parser would change nothing but dots at its start, perhaps with a query; not one that
   * ends in a fragment. The key is the extension with its dot, or nothing.
   */
  Path,
  /** A fragment of letters and digits alone. */
  Section,
}

/** A number that no run of bytes has: there was none, or it is not known by number. */
export const NO_NUMBER = 0
export const NOT_NUMBERED = -1

/**
 * What a link's start tag says of where it leads and how it is marked, as offsets into the page; a start of -1 where it
 * says nothing. Runs of bytes have numbers, the same for the same bytes. One note is used for link after link: it is read,
 * and forgotten before the next comes.
 */
export class LinkNote {
  /** Of the tag. */
  start = -1
  end = -1
  isArea = false
  /** It has attributes that begin with "data-". */
  hasData = false
  hrefStart = -1
  hrefEnd = -1
  /** Past the value and its quote: where a new attribute can follow. */
  hrefOuterEnd = -1
  relStart = -1
  relEnd = -1
  relNumber = NO_NUMBER
  targetStart = -1
  targetEnd = -1
  targetNumber = NO_NUMBER
  form = Form.Other
  /** What tells this destination from others of its form; {@link NO_NUMBER} where there is nothing. */
  keyStart = 0
  keyNumber = NO_NUMBER
}

/** What was being read when a page's last piece ended. */
export interface ReadingState {
  mode: Mode
  /** Of the element whose raw text is read: its name, as eight bytes, its length, and how a script is escaped. */
  readonly raw: Int32Array
}
/** A page that has not begun. */
export const startOfReading = (mode: Mode): ReadingState => ({ mode, raw: new Int32Array(5) })

/** Places in memory, in words of four bytes. */
const REASON = 256
const COUNT = 257
const MODE = 258
const RAW_STATE = 260
const TAG_NAME_END = 265
const TAG_SELF_CLOSING = 266
const IS_FULL = 269
const ADDRESS = 272
const NOTES = 288
const NOTE_WORDS = 16
/** In bytes. */
const PAGE = 327_680
const BEHIND_BYTES = 16
const MEMORY_PAGE_BYTES = 65_536
const EDIT_WORDS = 3

/** What the kernel exports, checked once. */
function instantiate() {
  const wasm = Uint8Array.from(atob(SCAN_KERNEL), (c) => c.charCodeAt(0))
  const { memory, scan, tag, look, splice, forget } = new WebAssembly.Instance(new WebAssembly.Module(wasm)).exports
  if (
    !(memory instanceof WebAssembly.Memory) ||
    typeof scan !== 'function' ||
    typeof tag !== 'function' ||
    typeof look !== 'function' ||
    typeof splice !== 'function' ||
    typeof forget !== 'function'
  )
    throw new Error('The compiled kernel is not the one this was written for')
  return { memory, scan, tag, look, splice, forget }
}

/**
 * Finds the links of a page from its bytes, and writes it with edits: the compiled kernel with its memory. One page is
 * loaded at a time, and the links noted last are those of the last scan.
 */
class Scanner {
  readonly #kernel = instantiate()
  #bytes = new Uint8Array(0)
  #words = new Int32Array(0)
  #length = 0
  #generation = 0

  /** Changes when numbers are given anew. */
  get generation(): number {
    return this.#generation
  }

  /** @param units - one byte a unit; what is not ASCII may be any byte from 0x80 on */
  load(units: Uint8Array): void {
    this.#reserve(PAGE + units.length + BEHIND_BYTES)
    if (this.#words[IS_FULL] === 1) {
      this.#kernel.forget()
      this.#generation++
    }
    this.#bytes.set(units, PAGE)
    this.#bytes.fill(0, PAGE + units.length, PAGE + units.length + BEHIND_BYTES)
    this.#length = units.length
  }

  #reserve(bytes: number): void {
    const missing = bytes - this.#kernel.memory.buffer.byteLength
    if (missing > 0) this.#kernel.memory.grow(Math.ceil(missing / MEMORY_PAGE_BYTES))
    if (this.#bytes.buffer === this.#kernel.memory.buffer) return
    this.#bytes = new Uint8Array(this.#kernel.memory.buffer)
    this.#words = new Int32Array(this.#kernel.memory.buffer)
  }

  /**
   * Reads on from an offset, and keeps in `state` how it goes on.
   * @param until - where what there is of the page ends
   * @param isLast - nothing comes behind what is loaded
   * @param isNested - tags are read by whoever asks
   * @returns how far; {@link reason} and {@link count} say the rest
   */
  scan(from: number, until: number, state: ReadingState, isLast: boolean, isNested: boolean): number {
    const words = this.#words
    words[MODE] = state.mode
    if (state.mode !== Mode.Data) words.set(state.raw, RAW_STATE)
    const at: number = this.#kernel.scan(from, until, isLast ? 1 : 0, isNested ? 1 : 0)
    state.mode = words[MODE] ?? Mode.Data
    if (state.mode !== Mode.Data) state.raw.set(words.subarray(RAW_STATE, RAW_STATE + state.raw.length))
    return at
  }

  get reason(): Stop {
    return this.#words[REASON] ?? Stop.AtEnd
  }

  /** Links that were noted on the way. */
  get count(): number {
    return this.#words[COUNT] ?? 0
  }

  /** Reads what was noted of a link. */
  read(index: number, note: LinkNote): void {
    const words = this.#words
    const at = NOTES + index * NOTE_WORDS
    note.start = words[at] ?? 0
    note.end = words[at + 1] ?? 0
    note.isArea = words[at + 2] === 1
    note.hasData = words[at + 3] === 1
    note.hrefStart = words[at + 4] ?? -1
    note.hrefEnd = words[at + 5] ?? -1
    note.hrefOuterEnd = words[at + 6] ?? -1
    note.relStart = words[at + 7] ?? -1
    note.relEnd = words[at + 8] ?? -1
    note.targetStart = words[at + 9] ?? -1
    note.targetEnd = words[at + 10] ?? -1
    note.form = words[at + 11] ?? Form.Other
    note.keyStart = words[at + 12] ?? 0
    note.keyNumber = words[at + 13] ?? NOT_NUMBERED
    note.relNumber = words[at + 14] ?? NOT_NUMBERED
    note.targetNumber = words[at + 15] ?? NOT_NUMBERED
  }

  /**
   * Reads one tag.
   * @param name - offset of its first letter
   * @returns null where its end is not there
   */
  tagAt(name: number, until: number): { readonly nameEnd: number; readonly end: number; readonly selfClosing: boolean } | null {
    const end: number = this.#kernel.tag(name, until)
    return end === -1 ? null : { nameEnd: this.#words[TAG_NAME_END] ?? 0, end, selfClosing: this.#words[TAG_SELF_CLOSING] === 1 }
  }

  /** The extension of the path between two offsets: its number and where it starts; null where it is no {@link Form.Path}. */
  extensionIn(from: number, to: number): { readonly start: number; readonly number: number } | null {
    this.#kernel.look(from, to)
    if (this.#words[ADDRESS + 11] !== Form.Path) return null
    return { start: this.#words[ADDRESS + 12] ?? 0, number: this.#words[ADDRESS + 13] ?? NOT_NUMBERED }
  }

  /**
   * Writes what is loaded up to `read`, with edits in order of place.
   * @param edits - three numbers each: from, to, and the length of what comes in that place
   * @param room - makes the array that is written into
   */
  splice(edits: readonly number[], inserts: readonly Uint8Array[], read: number, room: (bytes: number) => Uint8Array): Uint8Array {
    const editsAt = (PAGE + this.#length + BEHIND_BYTES + 3) & ~3
    const insertsAt = editsAt + 4 * edits.length
    const outAt = insertsAt + inserts.reduce((sum, { length }) => sum + length, 0)
    this.#reserve(outAt + (outAt - insertsAt) + read)
    this.#words.set(edits, editsAt / 4)
    let at = insertsAt
    for (const insert of inserts) {
      this.#bytes.set(insert, at)
      at += insert.length
    }
    const length: number = this.#kernel.splice(editsAt, edits.length / EDIT_WORDS, insertsAt, read, outAt)
    const out = room(length)
    out.set(this.#bytes.subarray(outAt, outAt + length))
    return out
  }
}

let shared: Scanner | null = null
/** The one scanner of this thread, made at first use. */
export function scanner(): Scanner {
  shared ??= new Scanner()
  return shared
}
