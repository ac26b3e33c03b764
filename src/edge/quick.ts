import { STATUS_CODES } from 'node:http'
import type { Socket } from 'node:net'
import { AHEAD_MAX_BYTES, endOfHead } from './gate.ts'
import { type QuickRequest, readQuickHead } from './head.ts'
import { inTurn } from './turns.ts'

/** An answer that needs nothing but a head and a few words. */
export interface QuickAnswer {
  readonly status: number
  /** Names and values by turns. */
  readonly headers: readonly string[]
  /** ASCII; "" for none. */
  readonly body: string
}

/**
 * Answers a plain request at once, or says that it is for others. @param send - called once, at once or later
 * @returns false where nothing was answered and `send` will not be called
 */
export type Quick = (request: QuickRequest, send: (answer: QuickAnswer) => void) => boolean

/**
 * A connection as long as all that comes on it is plain and answered at once: short links and redirects, most of what a
 * delivery process is asked for, at a fraction of what the full parser and its streams cost. The first request of any other
 * sort hands the connection over, with that request, for good.
 */
export class QuickConnection {
  readonly #socket: Socket
  readonly #quick: Quick
  readonly #handOver: (socket: Socket, come: Buffer) => void
  readonly #keptMs: number
  #isAnswering = false
  #hasAnswered = false
  #isEnded = false
  /** Come while an answer was on its way. */
  #ahead: Buffer | null = null

  /** @param firstMs - the first request has so long to come, @param keptMs - and each one after it */
  constructor(
    socket: Socket,
    {
      quick,
      handOver,
      firstMs,
      keptMs,
    }: { quick: Quick; handOver: (socket: Socket, come: Buffer) => void; firstMs: number; keptMs: number },
  ) {
    this.#socket = socket
    this.#quick = quick
    this.#handOver = handOver
    this.#keptMs = keptMs
    socket.setTimeout(firstMs)
    socket.on('timeout', this.#onTimeout).on('data', this.#onData).on('end', this.#onEnd)
  }

  get isIdle(): boolean {
    return !this.#isAnswering
  }

  readonly #onTimeout = (): void => {
    this.#socket.destroy()
  }

  readonly #onEnd = (): void => {
    this.#isEnded = true
    if (!this.#isAnswering) this.#socket.end()
  }

  readonly #onData = (come: Buffer): void => {
    if (!this.#isAnswering) return this.#take(come)
    this.#ahead = this.#ahead === null ? come : Buffer.concat([this.#ahead, come])
    if (this.#ahead.length > AHEAD_MAX_BYTES) this.#socket.pause()
  }

  #take(come: Buffer): void {
    const end = endOfHead(come)
    const first = end === -1 || end === come.length ? come : come.subarray(0, end)
    const request = readQuickHead(first.toString('latin1'), this.#socket)
    if (request === null) return this.#leave(come)
    this.#isAnswering = true
    // Before it is answered: it may be so at once, and what follows is then next.
    this.#ahead = first === come ? null : come.subarray(end)
    if (this.#quick(request, (answer) => this.#send(answer, request.method === 'HEAD'))) return
    this.#isAnswering = false
    this.#ahead = null
    this.#leave(come)
  }

  #send({ status, headers, body }: QuickAnswer, isHead: boolean): void {
    let head = `HTTP/1.1 ${status} ${STATUS_CODES[status] ?? ''}\r\n`
    for (let i = 0; i < headers.length; i += 2) head += `${headers[i]}: ${headers[i + 1]}\r\n`
    head += `Date: ${dateNow()}\r\nConnection: keep-alive\r\nContent-Length: ${body.length}\r\n\r\n`
    const isTaken = this.#socket.write(isHead ? head : head + body, 'latin1')
    if (!this.#hasAnswered) this.#socket.setTimeout(this.#keptMs)
    this.#hasAnswered = true
    // Whoever asks and never reads what comes back is asked for nothing more.
    if (isTaken) this.#next()
    else this.#socket.pause().once('drain', () => this.#next())
  }

  #next(): void {
    if (this.#ahead !== null) return inTurn(() => this.#goOn())
    this.#isAnswering = false
    if (this.#socket.isPaused()) this.#socket.resume()
    if (this.#isEnded) this.#socket.end()
  }

  /** Takes up what has come meanwhile, in its turn. */
  #goOn(): void {
    const ahead = this.#ahead
    this.#ahead = null
    this.#isAnswering = false
    if (this.#socket.destroyed) return
    if (this.#socket.isPaused()) this.#socket.resume()
    if (ahead !== null) this.#take(ahead)
    if (this.#isEnded && !this.#isAnswering) this.#socket.end()
  }

  #leave(come: Buffer): void {
    const socket = this.#socket
    socket.setTimeout(0)
    socket.off('timeout', this.#onTimeout).off('data', this.#onData).off('end', this.#onEnd)
    this.#handOver(socket, come)
  }
}

let second = 0
let date = ''
/** As RFC 9110 §5.6.7 writes it. */
function dateNow(): string {
  const now = Math.floor(Date.now() / 1_000)
  if (now !== second) [second, date] = [now, new Date(now * 1_000).toUTCString()]
  return date
}
