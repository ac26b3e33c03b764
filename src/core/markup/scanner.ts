import { SCAN_KERNEL } from './kernel/compiled.ts'
import type { LinkSpans } from './link-spans.ts'

/** Why the kernel stopped; as in `kernel/scan.ts`, like the places below. */
export enum Stop {
  AtEnd,
  /** A tag that is not whole yet. */
  InTag,
  /** Markup that it does not read itself: a comment, raw text, SVG, `base`. */
  AtMarkup,
  /** There are more links than it can note in one go. */
  Full,
}

const REASON = 1024
const COUNT = 1028
const NOTES = 1040
const NOTE_BYTES = 48
const PAGE = 65_536
/** What the kernel may read, and not look at, behind a page. */
const BEHIND_BYTES = 16
const MEMORY_PAGE_BYTES = 65_536

/**
 * Finds the links of a page, in HTML's own content, from its bytes: the compiled kernel with its memory. One page is loaded
 * at a time, and the links noted last are those of the last scan.
 */
class Scanner {
  readonly #memory: WebAssembly.Memory
  readonly #scan: (from: number, length: number) => number
  #bytes = new Uint8Array(0)
  #words = new Int32Array(0)
  #length = 0

  constructor() {
    const wasm = Uint8Array.from(atob(SCAN_KERNEL), (c) => c.charCodeAt(0))
    const { memory, scan } = new WebAssembly.Instance(new WebAssembly.Module(wasm)).exports
    if (!(memory instanceof WebAssembly.Memory) || typeof scan !== 'function')
      throw new Error('The scan kernel is not the one that was compiled')
    this.#memory = memory
    this.#scan = (from, length) => scan(from, length)
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
  readNote(index: number, spans: LinkSpans): void {
    const words = this.#words
    const at = (NOTES + index * NOTE_BYTES) / 4
    spans.start = words[at] ?? 0
    spans.end = words[at + 1] ?? 0
    spans.isArea = words[at + 2] === 1
    spans.isWatched = words[at + 3] === 1
    spans.hrefStart = words[at + 4] ?? -1
    spans.hrefEnd = words[at + 5] ?? -1
    spans.hrefOuterEnd = words[at + 6] ?? -1
    spans.relStart = words[at + 7] ?? -1
    spans.relEnd = words[at + 8] ?? -1
    spans.targetStart = words[at + 9] ?? -1
    spans.targetEnd = words[at + 10] ?? -1
  }
}

let shared: Scanner | null = null
/** The one scanner of this thread, made at first use. */
export function scanner(): Scanner {
  shared ??= new Scanner()
  return shared
}
