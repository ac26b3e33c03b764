import { hash, randomBytes } from 'node:crypto'
import { readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import type { IncomingHttpHeaders } from 'node:http'
import path from 'node:path'
import {
  type Device,
  deviceOf,
  languageOf,
  referrerHost,
  type SeenLine,
  type Visit,
  visitOf,
  writeClick,
  writeMissed,
  writeSeen,
} from '../core/clicks/index.ts'

/** User agents remembered; judging one anew costs more than all the rest of an answer. */
const AGENTS_MAX = 5_000
/** Longer names than these no browser has; each is judged anew. */
const AGENT_MAX_CHARS = 500

/** Of an address that was asked for in vain so much is kept. */
const MISSED_PATH_MAX_CHARS = 1_000

/** How often it is looked whether a day is over, so that its salt goes also where nobody comes by. */
const DAY_CHECK_MS = 60_000
const SALT_FILE = /^visitor-salt-\d{4}-\d\d-\d\d$/

/** Of a request, what tells who came. */
export interface Came {
  readonly method?: string | undefined
  readonly headers: IncomingHttpHeaders
  readonly socket: { readonly remoteAddress?: string | undefined }
}

/**
 * Turns requests into lines of the click log. No network address is kept: only a hash whose salt is random, one a day, and
 * destroyed when the day (UTC) is over, so that nobody can find a past visitor again.
 */
export class Visitors {
  readonly #folder: string
  readonly #trusted: ReadonlySet<string>
  readonly #agents = new Map<string, { visit: Visit; device: Device }>()
  #second = 0
  #stamp = ''
  #day = ''
  #salt = ''

  /** @param folder - where the salt of the day lies, for all processes of this machine */
  constructor(folder: string, trusted: ReadonlySet<string>) {
    this.#folder = folder
    this.#trusted = trusted
    setInterval(() => this.#beginDay(new Date().toISOString().slice(0, 10)), DAY_CHECK_MS).unref()
  }

  /** A click as a line of PostgreSQL's COPY text format, in the column order of the loader. @param nowMs - UTC */
  clickLine(request: Came, { id, variant }: { id: string; variant: number | null }, nowMs: number): string {
    const { headers } = request
    const userAgent = headers['user-agent']
    const agent = this.#agent(userAgent)
    const purpose = headers['sec-purpose'] ?? headers.purpose ?? headers['x-moz']
    const visit =
      request.method === 'HEAD' || purpose !== undefined
        ? visitOf({ method: request.method ?? 'GET', userAgent, purpose: purpose?.toString() })
        : agent.visit
    return writeClick({
      at: this.#timeStamp(nowMs),
      shortLinkId: id,
      visit,
      visitor: this.#visitorOf(request),
      device: agent.device,
      language: headers['accept-language'] === undefined ? null : languageOf(headers['accept-language']),
      referrer: headers.referer === undefined ? null : referrerHost(headers.referer),
      variant,
    })
  }

  /** An address that was asked for in vain, as a line of the same log. @param nowMs - UTC */
  missedLine(request: Came, { siteId, host, path }: { siteId: string; host: string; path: string }, nowMs: number): string {
    const { headers, method = 'GET' } = request
    const purpose = headers['sec-purpose'] ?? headers.purpose ?? headers['x-moz']
    const visit = visitOf({ method, userAgent: headers['user-agent'], purpose: purpose?.toString() })
    return writeMissed({
      at: this.#timeStamp(nowMs),
      siteId,
      host,
      path: path.slice(0, MISSED_PATH_MAX_CHARS),
      visit,
      referrer: (headers.referer === undefined ? null : referrerHost(headers.referer)) ?? '',
      visitor: this.#visitorOf(request),
    })
  }

  /** What a page told of itself, as a line of the same log: that it was looked at, or that one of its links was followed. @param nowMs - UTC */
  seenLine(request: Came, seen: Pick<SeenLine, 'siteId' | 'host' | 'kind' | 'path' | 'address' | 'nth'>, nowMs: number): string {
    const { visit } = this.#agent(request.headers['user-agent'])
    return writeSeen({ ...seen, at: this.#timeStamp(nowMs), visit, visitor: this.#visitorOf(request) })
  }

  /** What tells one visitor from others, for as long as a request is answered. */
  visitorOf(request: Came): string {
    return `${this.addressOf(request)} ${request.headers['user-agent'] ?? ''}`
  }

  /** The network address a request came from; what a trusted proxy says of it counts. */
  addressOf(request: Came): string {
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

  /** By which protocol the visitor came; a trusted proxy in front knows better than the connection from it. */
  protocolOf(request: Came): 'http' | 'https' {
    if (!this.#trusted.has(request.socket.remoteAddress ?? '')) return 'http'
    return String(request.headers['x-forwarded-proto'] ?? '')
      .split(',', 1)[0]
      ?.trim()
      .toLowerCase() === 'https'
      ? 'https'
      : 'http'
  }

  /** The same for one visitor as long as the day lasts, and nothing afterwards. */
  #visitorOf(request: Came): string {
    return hash('sha256', `${this.#salt}${this.addressOf(request)} ${request.headers['user-agent'] ?? ''}`).slice(0, 16)
  }

  #agent(userAgent: string | undefined): { visit: Visit; device: Device } {
    const key = userAgent ?? ''
    const known = this.#agents.get(key)
    if (known !== undefined) return known
    const judged = { visit: visitOf({ method: 'GET', userAgent, purpose: undefined }), device: deviceOf(userAgent) }
    if (key.length > AGENT_MAX_CHARS) return judged
    if (this.#agents.size >= AGENTS_MAX) this.#agents.clear()
    this.#agents.set(key, judged)
    return judged
  }

  #timeStamp(nowMs: number): string {
    const second = Math.floor(nowMs / 1000)
    if (second !== this.#second) {
      this.#second = second
      this.#stamp = new Date(nowMs).toISOString().slice(0, 19)
      this.#beginDay(this.#stamp.slice(0, 10))
    }
    return `${this.#stamp}.${String(nowMs % 1000).padStart(3, '0')}Z`
  }

  #beginDay(day: string): void {
    if (day === this.#day) return
    this.#day = day
    this.#salt = saltOf(this.#folder, day)
  }
}

/** The salt of a day, made by the first process that needs it; those of other days are destroyed. */
function saltOf(folder: string, day: string): string {
  const file = path.join(folder, `visitor-salt-${day}`)
  const fresh = randomBytes(32).toString('hex')
  try {
    for (const name of readdirSync(folder))
      if (SALT_FILE.test(name) && path.join(folder, name) !== file) rmSync(path.join(folder, name), { force: true })
    writeFileSync(file, fresh, { flag: 'wx', mode: 0o600 })
    return fresh
  } catch {
    try {
      return readFileSync(file, 'utf8') || fresh
    } catch {
      return fresh // a disk that takes nothing: visitors of this process are told apart all the same
    }
  }
}
