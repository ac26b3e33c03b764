import { KEPT_COLUMNS, KEPT_MEANING, type KeptRows, type Stretch } from './rows.ts'

/** How the bytes lie. What the numbers in them mean is told beside it ({@link KEPT_MEANING}); what was kept by another of the two is made anew. */
const KEPT_VERSION = 3

/** What is kept of a list beside its rows. */
export interface KeptHead {
  /** Newest change of the site that is in it. */
  readonly number: number
  /** Of what its rows were derived: hosts, partners, port. */
  readonly ground: string
}

interface Head extends KeptHead {
  readonly version: number
  readonly meaning: string
  readonly length: number
  readonly stretches: readonly Stretch[]
  readonly strings: Readonly<Record<(typeof STRINGS)[number], number>>
}
const STRINGS = ['strings', 'written', 'alikes'] as const
const WORD = 4

/** A list's rows as bytes: a length, a head in JSON, strings parted by NUL, and columns as they lie in memory. */
export function encodeKept(rows: KeptRows, { number, ground }: KeptHead): Uint8Array[] {
  const encoder = new TextEncoder()
  const texts = STRINGS.map((name) => encoder.encode(rows[name].join('\0')))
  const length = rows.columns.page.length
  const head: Head = {
    number,
    ground,
    version: KEPT_VERSION,
    meaning: KEPT_MEANING,
    length,
    stretches: rows.stretches,
    strings: Object.fromEntries(STRINGS.map((name, k) => [name, texts[k]?.length ?? 0])) as Head['strings'],
  }
  const headBytes = encoder.encode(JSON.stringify(head))
  const size = new Uint8Array(WORD)
  new DataView(size.buffer).setUint32(0, headBytes.length, true)
  const columns = KEPT_COLUMNS.map((name) => new Uint8Array(rows.columns[name].buffer, rows.columns[name].byteOffset, length * WORD))
  return [size, headBytes, ...texts, ...columns]
}

/**
 * Reads such bytes back.
 * @returns null for what was written by another version, or is cut off
 */
export function decodeKept(bytes: Uint8Array): { readonly head: KeptHead; readonly rows: KeptRows } | null {
  if (bytes.length < WORD) return null
  const headBytes = new DataView(bytes.buffer, bytes.byteOffset).getUint32(0, true)
  const decoder = new TextDecoder()
  let at = WORD + headBytes
  if (at > bytes.length) return null
  let head: Head
  try {
    head = JSON.parse(decoder.decode(bytes.subarray(WORD, at))) as Head
  } catch {
    return null
  }
  if (head.version !== KEPT_VERSION || head.meaning !== KEPT_MEANING) return null
  const texts = STRINGS.map((name) => head.strings[name])
  if (at + texts.reduce((sum, each) => sum + each, 0) + KEPT_COLUMNS.length * head.length * WORD !== bytes.length) return null
  const [strings = [], written = [], alikes = []] = texts.map((size) => {
    const text = decoder.decode(bytes.subarray(at, at + size))
    at += size
    return head.length === 0 ? [] : text.split('\0')
  })
  const columns = Object.fromEntries(
    KEPT_COLUMNS.map((name) => {
      const column = new Uint32Array(bytes.buffer.slice(bytes.byteOffset + at, bytes.byteOffset + at + head.length * WORD) as ArrayBuffer)
      at += head.length * WORD
      return [name, column]
    }),
  ) as KeptRows['columns']
  return { head: { number: head.number, ground: head.ground }, rows: { strings, written, alikes, columns, stretches: head.stretches } }
}
