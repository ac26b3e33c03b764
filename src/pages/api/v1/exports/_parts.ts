import { Readable } from 'node:stream'

interface Part<N> {
  readonly text: string
  /** Where the next one begins; null after the last. */
  readonly next: N | null
}

/** A text that is made a part at a time, as the reader takes it: a file of any length is never held as a whole. */
export function inParts<N>(first: Part<N>, partAt: (next: N) => Promise<Part<N>>): ReadableStream<Uint8Array> {
  async function* text(): AsyncGenerator<string> {
    for (let part = first; ; part = await partAt(part.next)) {
      yield part.text
      if (part.next === null) return
    }
  }
  return Readable.toWeb(Readable.from(text())) as ReadableStream<Uint8Array>
}
