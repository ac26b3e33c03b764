import { Transform } from 'node:stream'
import { constants, createBrotliCompress, createBrotliDecompress, createDeflate, createGunzip, createGzip, createInflate } from 'node:zlib'
import { sniffEncoding } from '../../core/markup/index.ts'
import { type RuleStream, ruleStream } from '../../core/rules/index.ts'
import { countingEnd } from '../counting-end.ts'
import { room } from '../room.ts'
import type { Door } from './door.ts'
import type { Coding } from './headers.ts'

/** Bytes looked at for a page's encoding (HTML, "prescan a byte stream"). */
const SNIFF_BYTES = 1_024
/** A byte order mark has three at most. */
const MARK_BYTES = 3

/** Flushed as they go, so that a page that comes slowly is seen slowly and not late. */
const FLUSH = { flush: constants.Z_SYNC_FLUSH }
export function unpacker(coding: Coding): Transform {
  if (coding === 'gzip') return createGunzip(FLUSH)
  return coding === 'br' ? createBrotliDecompress() : createInflate(FLUSH)
}
export function packer(coding: Coding): Transform {
  if (coding === 'gzip') return createGzip({ level: 4, ...FLUSH })
  if (coding === 'deflate') return createDeflate({ level: 4, ...FLUSH })
  return createBrotliCompress({ flush: constants.BROTLI_OPERATION_FLUSH, params: { [constants.BROTLI_PARAM_QUALITY]: 3 } })
}

/** A page on its way through: its encoding is told by the header, or found in its first bytes, then the rules are applied. */
export class PageRewriter {
  readonly #door: Door
  readonly #said: string | undefined
  #stream: RuleStream | null = null
  #first: Uint8Array[] = []
  #waiting = 0

  readonly #policies: readonly string[] | null
  /** What is put at its end. */
  #end: Uint8Array | null = null

  /** @param policies - values of Content-Security-Policy that it comes with; null for an answer that is no page to count */
  constructor(door: Door, contentType: string, policies: readonly string[] | null) {
    this.#door = door
    this.#policies = policies
    this.#said = /charset\s*=\s*"?([^\s;"]+)/i.exec(contentType)?.[1]
  }

  /** @returns what can go on, in order */
  push(chunk: Uint8Array): Uint8Array[] {
    if (this.#stream !== null) return this.#stream.push(chunk)
    this.#first.push(chunk)
    this.#waiting += chunk.length
    return this.#waiting < (this.#said === undefined ? SNIFF_BYTES : MARK_BYTES) ? [] : this.#begin()
  }

  end(): Uint8Array[] {
    const head = this.#stream === null ? this.#begin() : []
    return [...head, ...(this.#stream?.end() ?? []), ...(this.#end === null ? [] : [this.#end])]
  }

  transform(): Transform {
    const send = (to: Transform, next: (error?: Error) => void, work: () => Uint8Array[]): void => {
      try {
        for (const piece of work()) to.push(piece)
        next()
      } catch (error) {
        next(error instanceof Error ? error : new Error(String(error)))
      }
    }
    const { push, end } = { push: (chunk: Buffer) => this.push(chunk), end: () => this.end() }
    return new Transform({
      transform(chunk: Buffer, _encoding, next) {
        send(this, next, () => push(chunk))
      },
      flush(next) {
        send(this, next, end)
      },
    })
  }

  #begin(): Uint8Array[] {
    const { site, path, publicOrigin } = this.#door
    const head = this.#first.length === 1 ? (this.#first[0] ?? Buffer.alloc(0)) : Buffer.concat(this.#first)
    this.#first = []
    const around = site.around(path.split('?')[0] ?? '/', { origin: publicOrigin, isTheirs: true })
    const encoding = encodingOf(this.#said, head)
    this.#end = this.#policies === null ? null : countingEnd(this.#door.entry, head, encoding, this.#policies)
    this.#stream = ruleStream(site.rules, around, site.findShortLink, encoding, room)
    return this.#stream.push(head)
  }
}

/** A byte order mark beats the header, which beats what the page says of itself (HTML, "determining the character encoding"). */
function encodingOf(said: string | undefined, head: Uint8Array): string {
  const marked = head[0] === undefined || head[0] < 0x80 ? null : sniffEncoding(head.subarray(0, MARK_BYTES))
  if (marked?.source === 'byte order mark') return marked.encoding
  return (said === undefined ? null : labelled(said)) ?? sniffEncoding(head).encoding
}

/** The encoding's name by the Encoding standard; null for a label that nobody knows. */
function labelled(label: string): string | null {
  if (label.toLowerCase() === 'utf-8') return 'utf-8'
  try {
    return new TextDecoder(label).encoding
  } catch {
    return null
  }
}
