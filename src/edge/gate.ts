import type { Socket } from 'node:net'
import { inTurn } from './turns.ts'

/** What may come on a connection while an answer is on its way out; more waits in the network. */
export const AHEAD_MAX_BYTES = 64 * 1024

/** Where the first head of a request ends, as lenient as parsers are about line ends; -1 where its end is not there. */
export function endOfHead(bytes: Buffer): number {
  const plain = bytes.indexOf('\n\r\n')
  const bare = bytes.indexOf('\n\n')
  if (plain === -1 && bare === -1) return -1
  return plain !== -1 && (bare === -1 || plain < bare) ? plain + 3 : bare + 2
}

/**
 * Stands between a connection and Node's parser, which would read all that has come and begin to answer each request of it: lets
 * through one request at a time, the next in its turn once the answer is out.
 */
export class Gate {
  readonly #socket: Socket
  readonly #parse: (bytes: Buffer) => void
  /** Come and not let through. */
  #held: Buffer | null = null
  /** Requests whose head was read and that are not over. */
  #open = 0
  /** Bytes of the newest one's body that are still to come; Infinity where that is not known before its end. */
  #left = 0
  #isTurn = false
  #isHeldUp = false

  /** @param parse - the parser's own way of taking bytes */
  constructor(socket: Socket, parse: (bytes: Buffer) => void) {
    this.#socket = socket
    this.#parse = parse
  }

  /** The parser has read a head. @param bodyBytes - by what it says of its body; Infinity where it does not say */
  took(bodyBytes: number): void {
    this.#open++
    this.#left = bodyBytes
  }

  /** An answer is out, and the body of its request there. */
  answered(): void {
    if (--this.#open > 0) return
    this.#left = 0
    if (this.#held === null || this.#isTurn) return
    this.#isTurn = true
    inTurn(() => {
      this.#isTurn = false
      this.#goOn()
    })
  }

  /** What is held, for whoever takes the connection over. */
  release(): Buffer | null {
    const held = this.#held
    this.#held = null
    return held
  }

  /** Bytes that have come. */
  come(bytes: Buffer): void {
    this.#held = this.#held === null ? bytes : Buffer.concat([this.#held, bytes])
    this.#goOn()
  }

  #goOn(): void {
    while (this.#held !== null && !this.#isTurn && !this.#socket.destroyed) {
      const held: Buffer = this.#held
      const most = this.#open === 0 ? headBytes(held) : Math.min(held.length, this.#left)
      if (most === 0) break
      this.#held = most === held.length ? null : held.subarray(most)
      if (this.#open > 0) this.#left -= most
      this.#parse(most === held.length ? held : held.subarray(0, most))
    }
    const isFull = this.#held !== null && this.#held.length > AHEAD_MAX_BYTES
    if (isFull) this.#socket.pause()
    else if (this.#held === null && this.#isHeldUp) this.#socket.resume()
    this.#isHeldUp = isFull
  }
}

/** A head to its end; where that is not there, as much of it as is. */
function headBytes(bytes: Buffer): number {
  const end = endOfHead(bytes)
  return end === -1 ? bytes.length : end
}
