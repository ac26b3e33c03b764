/** Texts whose bytes are kept: what is put into a page is nearly always one of a few marks. */
const REMEMBERED_MAX = 500
const written = new Map<string, Uint8Array>()

/** Text as UTF-8. The answer is shared: nobody may write into it. */
export function bytesOf(text: string): Uint8Array {
  const known = written.get(text)
  if (known !== undefined) return known
  const bytes = new TextEncoder().encode(text)
  if (written.size >= REMEMBERED_MAX) written.clear()
  written.set(text, bytes)
  return bytes
}

/** What is to change in a run of bytes, in order of place, until it is written out in one piece. */
export class ByteEdits {
  #from: number[] = []
  #to: number[] = []
  #insert: Uint8Array[] = []
  /** Bytes more than before; below zero for fewer. */
  #growth = 0
  readonly #make: (length: number) => Uint8Array

  /** @param make - makes room, whatever stands there */
  constructor(make: (length: number) => Uint8Array) {
    this.#make = make
  }

  /** Puts `insert` in the place of the bytes between two offsets; `from` is not before the edit before. */
  add(from: number, to: number, insert: Uint8Array): void {
    this.#from.push(from)
    this.#to.push(to)
    this.#insert.push(insert)
    this.#growth += insert.length - (to - from)
  }

  /** The bytes up to `end`, edited; a view of them where nothing changes. Forgets the edits. */
  apply(bytes: Uint8Array, end: number): Uint8Array {
    const count = this.#from.length
    if (count === 0) return bytes.subarray(0, end)
    const out = this.#make(end + this.#growth)
    let read = 0
    let written = 0
    for (let k = 0; k < count; k++) {
      const from = this.#from[k] ?? 0
      const insert = this.#insert[k] ?? NOTHING
      out.set(bytes.subarray(read, from), written)
      out.set(insert, written + from - read)
      written += from - read + insert.length
      read = this.#to[k] ?? 0
    }
    out.set(bytes.subarray(read, end), written)
    this.#from = []
    this.#to = []
    this.#insert = []
    this.#growth = 0
    return out
  }
}
const NOTHING = new Uint8Array(0)
