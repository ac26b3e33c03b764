import { randomBytes } from 'node:crypto'
import { IncomingMessage } from 'node:http'

/** Tells this process's requests from those of any other. */
const PROCESS_ID = randomBytes(6).toString('base64url')
let numbered = 0

/**
 * A request as it comes in from outside, before anybody has read it: its body is counted byte by byte, whatever its
 * headers say of it, and only WebSocket counts as a change of protocol.
 */
export class EdgeRequest extends IncomingMessage {
  /** Bytes of the body that have come. */
  bytes = 0
  #id: string | null = null
  #maxBytes = Number.POSITIVE_INFINITY
  #onExceeded: (() => void) | null = null
  #isExceeded = false
  /** What the parser found; on no private field, since the base constructor sets it before those exist. */
  declare asksForUpgrade: boolean | null

  /**
   * Node hands a connection over to whoever listens for upgrades, for any protocol a client names: `h2c`, which curl offers
   * with --http2, would pass by the rules of a front door. A server may ignore an Upgrade it does not do (RFC 9110 §7.8).
   */
  get upgrade(): boolean {
    return this.asksForUpgrade === true && (this.method === 'CONNECT' || this.headers.upgrade?.trim().toLowerCase() === 'websocket')
  }
  set upgrade(found: boolean | null) {
    this.asksForUpgrade = found
  }

  /** By which the request is found in the logs of all processes that it goes through; made when somebody asks for it. */
  get id(): string {
    this.#id ??= `${PROCESS_ID}-${(++numbered).toString(36)}`
    return this.#id
  }

  /** Whether more of the body is to come. */
  get isWaiting(): boolean {
    return !this.complete && !this.destroyed && !this.#isExceeded
  }

  /** @param onExceeded - told once; what comes after that is dropped */
  limit(maxBytes: number, onExceeded: () => void): void {
    this.#maxBytes = maxBytes
    this.#onExceeded = onExceeded
    const said = Number(this.headers['content-length'] ?? 0)
    if (said > maxBytes || this.bytes > maxBytes) this.#exceed()
  }

  override push(chunk: unknown, encoding?: BufferEncoding): boolean {
    if (chunk instanceof Uint8Array) {
      this.bytes += chunk.length
      if (this.bytes > this.#maxBytes) this.#exceed()
    }
    return this.#isExceeded && chunk !== null ? true : super.push(chunk, encoding)
  }

  #exceed(): void {
    if (this.#isExceeded) return
    this.#isExceeded = true
    this.#onExceeded?.()
  }
}
