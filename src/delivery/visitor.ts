import { createHmac, hash } from 'node:crypto'
import type { IncomingMessage } from 'node:http'
import { type Device, deviceOf, languageOf, referrerHost, type Visit, visitOf } from '../core/clicks/index.ts'

/** User agents remembered; judging one anew costs more than all the rest of an answer. */
const AGENTS_MAX = 5_000

/** Turns requests into lines of the click log. No network address is kept: only a hash whose salt changes every day. */
export class Visitors {
  readonly #secret: string
  readonly #trusted: ReadonlySet<string>
  readonly #agents = new Map<string, { visit: Visit; device: Device }>()
  #second = 0
  #stamp = ''
  #day = ''
  #salt = ''

  constructor(secret: string, trusted: ReadonlySet<string>) {
    this.#secret = secret
    this.#trusted = trusted
  }

  /** A click as a line of PostgreSQL's COPY text format, in the column order of the loader. @param nowMs - UTC */
  clickLine(request: IncomingMessage, shortLinkId: string, nowMs: number): string {
    const { headers } = request
    const userAgent = headers['user-agent']
    const agent = this.#agent(userAgent)
    const purpose = headers['sec-purpose'] ?? headers.purpose ?? headers['x-moz']
    const visit =
      request.method === 'HEAD' || purpose !== undefined
        ? visitOf({ method: request.method ?? 'GET', userAgent, purpose: purpose?.toString() })
        : agent.visit
    const at = this.#timeStamp(nowMs)
    const visitor = hash('sha256', `${this.#salt}${this.addressOf(request)} ${userAgent ?? ''}`).slice(0, 16)
    const language = headers['accept-language'] === undefined ? null : languageOf(headers['accept-language'])
    const referrer = headers.referer === undefined ? null : referrerHost(headers.referer)
    return `${at}\t${shortLinkId}\t${visit}\t${visitor}\t${agent.device}\t${language ?? '\\N'}\t${referrer === null || referrer.includes('\\') ? '\\N' : referrer}`
  }

  /** The network address a request came from; what a trusted proxy says of it counts. */
  addressOf(request: IncomingMessage): string {
    const peer = request.socket.remoteAddress ?? ''
    const forwarded = request.headers['x-forwarded-for']
    if (forwarded === undefined || !this.#trusted.has(peer)) return peer
    return (
      String(forwarded)
        .split(',')
        .map((each) => each.trim())
        .reverse()
        .find((each) => !this.#trusted.has(each)) ?? peer
    )
  }

  #agent(userAgent: string | undefined): { visit: Visit; device: Device } {
    const key = userAgent ?? ''
    const known = this.#agents.get(key)
    if (known !== undefined) return known
    const judged = { visit: visitOf({ method: 'GET', userAgent, purpose: undefined }), device: deviceOf(userAgent) }
    if (this.#agents.size >= AGENTS_MAX) this.#agents.clear()
    this.#agents.set(key, judged)
    return judged
  }

  #timeStamp(nowMs: number): string {
    const second = Math.floor(nowMs / 1000)
    if (second !== this.#second) {
      this.#second = second
      this.#stamp = new Date(nowMs).toISOString().slice(0, 19)
      const day = this.#stamp.slice(0, 10)
      if (day !== this.#day) {
        this.#day = day
        this.#salt = createHmac('sha256', this.#secret).update(`visitors of ${day}`).digest('hex')
      }
    }
    return `${this.#stamp}.${String(nowMs % 1000).padStart(3, '0')}Z`
  }
}
