import { SCAN_KERNEL } from './kernel/compiled.ts'

/** Why the kernel stopped; as in `kernel/scan.ts`, like the forms and places below. */
export enum Stop {
  AtEnd,
  /** A tag that is not whole yet. */
  InTag,
  /** Markup that it does not read itself: a comment, raw text, SVG, `base`. */
  AtMarkup,
  /** There are more links than it can note in one go. */
  Full,
}

/** What a destination looks like, to somebody who does not parse it. */
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

/**
 * What a link's start tag says of where it leads and how it is marked, as offsets into the page; a start of -1 where it
 * says nothing. One is used for link after link: it is read, and forgotten before the next comes.
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
  targetStart = -1
  targetEnd = -1
  form = Form.Other
  /** What tells this destination from others of its form, and a hash of a host. */
  keyStart = 0
  keyEnd = 0
  keyHash = 0
}

/** Places in memory, in bytes. */
const REASON = 1024
const COUNT = 1028
const ADDRESS = 1040
const NOTES = 1088
const NOTE_BYTES = 64
const PAGE = 65_536
/** What the kernel may read, and not look at, behind a page. */
const BEHIND_BYTES = 16
const MEMORY_PAGE_BYTES = 65_536
/** Places in a note, in words of four bytes. */
const FORM = 11
const KEY = 12
const KEY_END = 13

/**
 * Finds the links of a page, in HTML's own content, from its bytes: the compiled kernel with its memory. One page is loaded
 * at a time, and the links noted last are those of the last scan.
 */
class Scanner {
  readonly #memory: WebAssembly.Memory
  readonly #scan: (from: number, length: number) => number
  readonly #look: (from: number, to: number) => void
  #bytes = new Uint8Array(0)
  #words = new Int32Array(0)
  #length = 0

  constructor() {
    const wasm = Uint8Array.from(atob(SCAN_KERNEL), (c) => c.charCodeAt(0))
    const { memory, scan, look } = new WebAssembly.Instance(new WebAssembly.Module(wasm)).exports
    if (!(memory instanceof WebAssembly.Memory) || typeof scan !== 'function' || typeof look !== 'function')
      throw new Error('This is not the kernel that was compiled from kernel/scan.ts')
    this.#memory = memory
    this.#scan = (from, length) => scan(from, length)
    this.#look = (from, to) => look(from, to)
  }

  /** @param units - one byte a unit; what is not ASCII may be any byte from 0x80 on */
  load(units: Uint8Array): void {
    const missing = PAGE + units.length + BEHIND_BYTES - this.#memory.buffer.byteLength
    if (missing > 0) this.#memory.grow(Math.ceil(missing / MEMORY_PAGE_BYTES))
    if (this.#bytes.buffer !== this.#memory.buffer) {
      this.#bytes = new Uint8Array(this.#memory.buffer)
      this.#words = new Int32Array(this.#memory.buffer)
    }
    this.#bytes.set(units, PAGE)
    this.#length = units.length
  }

  /** Reads on from an offset. @returns how far; {@link reason} and {@link count} say the rest */
  scan(from: number): number {
    return this.#scan(from, this.#length)
  }

  get reason(): Stop {
    return this.#words[REASON / 4] ?? Stop.AtEnd
  }

  /** Links that were noted on the way. */
  get count(): number {
    return this.#words[COUNT / 4] ?? 0
  }

  /** Reads what was noted of a link. */
  read(index: number, note: LinkNote): void {
    const words = this.#words
    const at = (NOTES + index * NOTE_BYTES) / 4
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
    note.form = words[at + FORM] ?? Form.Other
    note.keyStart = words[at + KEY] ?? 0
    note.keyEnd = words[at + KEY_END] ?? 0
    note.keyHash = words[at + 14] ?? 0
  }

  /** The extension of the path between two offsets, "" for none, as two offsets again; null where it is no {@link Form.Path}. */
  extensionIn(from: number, to: number): readonly [from: number, to: number] | null {
    this.#look(from, to)
    const at = ADDRESS / 4
    return this.#words[at + FORM] === Form.Path ? [this.#words[at + KEY] ?? 0, this.#words[at + KEY_END] ?? 0] : null
  }
}

let shared: Scanner | null = null
/** The one scanner of this thread, made at first use. */
export function scanner(): Scanner {
  shared ??= new Scanner()
  return shared
}
