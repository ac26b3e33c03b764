import robotsParser from 'robots-parser'
import type { InsideAllowed } from '../../core/address/index.ts'
import type { SeenPage } from '../../core/checks/index.ts'
import { namesIn } from '../../core/content/index.ts'
import { decodeSource, sniffEncoding } from '../../core/markup/index.ts'
import { DAY_MS } from '../../core/time.ts'
import { freeHosts, type HeldHost, keepRobots, takeHost } from '../../data/asked-hosts.ts'
import type { Database } from '../../data/database.ts'
import { type Answer, askOutside, READ_MAX_BYTES, type Validators } from '../../outside/index.ts'
import { noAnswer, type OutsideStop, stopOf } from '../addresses/index.ts'

/** By which a site's robots.txt names us. */
const ROBOT = 'MapRope'
/** One request to a site in so many milliseconds, where it asks for nothing else. */
const PACE_MS = 2_000
/** A site that asks for more time than this gets this. */
const PACE_MAX_MS = 60_000
/** Where requests are further apart, one has to be enough. */
const ONE_REQUEST_MS = 5_000
const ROBOTS_MAX_BYTES = 512 * 1024
/** Of which so many characters are kept. */
const ROBOTS_KEPT_CHARS = 100_000
const ROBOTS_MS = 8_000
/** An answer has this long to come, and to be all there. */
const IDLE_MS = 20_000
const TOTAL_MS = 30_000
const WAITED_MAX_MS = DAY_MS
/** What is asked for by HEAD is not always what would be answered: whoever refuses it is asked as readers ask. */
const HEAD_LIES: ReadonlySet<number> = new Set([400, 403, 404, 405, 410, 501])

/** A site was asked by others all the time: nothing was seen, and the look is made later. */
export class SiteBusy extends Error {}
/** How often it is looked whether a site may be asked. */
const ASKED_AGAIN_MS = 250

/** What is known of a destination from its last look. */
export interface KnownAnswer extends Validators {
  readonly page: SeenPage | null
  readonly address: string
}

/**
 * Asks sites for one look at a destination: one request at a time to each, at its pace, as its robots.txt allows, HEAD first. What is
 * held is let go by {@link free}.
 */
export class PoliteAsker {
  readonly #db: Database
  readonly #allowed: InsideAllowed
  readonly #agent: string
  readonly #known: KnownAnswer | null
  readonly #held = new Map<string, HeldHost & { askedAt: number; waitMs: number }>()
  /** Names of the sections of the page that was read last, where that was read to its end. */
  names: ReadonlySet<string> | null = null
  /** What can be asked by the next time; of the first address alone. */
  validators: Validators = { etag: null, modified: null }
  /** The page is as it was the last time. */
  isUnchanged = false
  /** Milliseconds that the requests took, without the waits between them. */
  askedMs = 0

  constructor(
    db: Database,
    { held, allowed, agent, known }: { held: HeldHost; allowed: InsideAllowed; agent: string; known: KnownAnswer | null },
  ) {
    this.#db = db
    this.#allowed = allowed
    this.#agent = agent
    this.#known = known
    if (held.paceMs > 0) this.#hold(held)
  }

  #hold(host: HeldHost): void {
    this.#held.set(host.host, { ...host, askedAt: 0, waitMs: host.paceMs })
  }

  /** Asks a stop, as soon as its site may be asked. @throws SiteBusy */
  async stop(url: URL, leftMs: number): Promise<OutsideStop> {
    const until = performance.now() + leftMs
    const host = await this.#take(url.host, until)
    const before = this.askedMs
    const stop = await this.#answer(host, url)
    return { ...stop, ms: this.askedMs - before }
  }

  async #answer(host: HeldHost, url: URL): Promise<OutsideStop> {
    const lets = await this.#robots(host, url)
    if (!lets(url.href)) return noAnswer('robots')
    const isFirst = this.#known?.address === url.href
    const known = isFirst && (this.#known?.etag != null || this.#known?.modified != null) ? this.#known : null
    if (known === null && host.paceMs <= ONE_REQUEST_MS) {
      const head = await this.#ask(host.host, url, { method: 'HEAD' })
      const isPage = head.ok && head.value.status === 200 && /html/i.test(head.value.type)
      // Whoever breaks a HEAD off may answer readers; whoever cannot be reached does not.
      if (!head.ok && head.fault !== 'broke-off') return noAnswer(head.fault)
      if (head.ok && !isPage && !HEAD_LIES.has(head.value.status) && head.value.status < 500) return this.#seen(url, head.value)
    }
    const got = await this.#ask(host.host, url, known === null ? {} : { known })
    if (!got.ok) return noAnswer(got.fault)
    if (got.value.status !== 304) return this.#seen(url, got.value)
    this.isUnchanged = true
    this.validators = { etag: known?.etag ?? null, modified: known?.modified ?? null }
    return { ...stopOf(url, { ...got.value, status: 200 }), page: this.#known?.page ?? null }
  }

  #seen(url: URL, answer: Answer): OutsideStop {
    const { body, isWhole, type, status } = answer
    this.names = isWhole && status === 200 && /html/i.test(type) ? namesIn(decodeSource(body, sniffEncoding(body).encoding)) : null
    this.validators = status === 200 ? { etag: answer.etag, modified: answer.modified } : { etag: null, modified: null }
    return stopOf(url, answer)
  }

  /** Asks one request more, where its site is held and lets robots in. Null where nobody was asked. */
  async besides(url: URL, method: 'GET' | 'HEAD'): Promise<Answer | null> {
    const host = this.#held.get(url.host)
    if (host === undefined || host.paceMs > ONE_REQUEST_MS || !(await this.#robots(host, url))(url.href)) return null
    const got = await this.#ask(url.host, url, { method })
    return got.ok ? got.value : null
  }

  /** Lets all sites go, each until it may be asked again. */
  async free(): Promise<void> {
    const hosts = [...this.#held.values()].map(({ host, askedAt, waitMs }) => ({
      host,
      afterMs: askedAt === 0 ? 0 : Math.max(0, waitMs - (performance.now() - askedAt)),
    }))
    this.#held.clear()
    await freeHosts(this.#db, hosts)
  }

  async #take(host: string, until: number): Promise<HeldHost> {
    for (;;) {
      const known = this.#held.get(host)
      if (known !== undefined) return known
      const taken = await takeHost(this.#db, host)
      if (!('waitMs' in taken)) this.#hold(taken)
      else if (performance.now() > until) throw new SiteBusy(host)
      else await new Promise((resolve) => setTimeout(resolve, Math.min(taken.waitMs, ASKED_AGAIN_MS)))
    }
  }

  async #ask(name: string, url: URL, asking: Parameters<typeof askOutside>[2]): ReturnType<typeof askOutside> {
    const host = this.#held.get(name)
    const waitMs = host === undefined || host.askedAt === 0 ? 0 : host.askedAt + host.waitMs - performance.now()
    if (waitMs > 0) await new Promise((resolve) => setTimeout(resolve, waitMs))
    const startedAt = performance.now()
    const got = await askOutside(url, this.#allowed, {
      maxBytes: READ_MAX_BYTES,
      totalMs: TOTAL_MS,
      idleMs: IDLE_MS,
      agent: this.#agent,
      ...asking,
    })
    const ms = performance.now() - startedAt
    this.askedMs += ms
    if (host !== undefined) {
      host.askedAt = performance.now()
      // One that gets slow is asked the more slowly.
      host.waitMs = Math.max(host.paceMs, 2 * ms, got.ok ? askedToWait(got.value) : 0)
    }
    return got
  }

  /** Whether robots may ask a site for an address, as its robots.txt says (RFC 9309); looked at once a day. */
  async #robots(host: HeldHost, url: URL): Promise<(address: string) => boolean> {
    const at = new URL('/robots.txt', url)
    let text = host.robots
    if (text === null || host.robotsAt === null || Date.now() - host.robotsAt.getTime() > DAY_MS) {
      const got = await this.#ask(host.host, at, { maxBytes: ROBOTS_MAX_BYTES, totalMs: ROBOTS_MS })
      text = got.ok && got.value.status === 200 ? got.value.body.toString('utf8').slice(0, ROBOTS_KEPT_CHARS).replaceAll('\0', '') : ''
      const delay = robotsParser(at.href, text).getCrawlDelay(ROBOT) ?? 0
      const paceMs = Math.min(PACE_MAX_MS, Math.max(PACE_MS, delay * 1_000))
      await keepRobots(this.#db, host.host, { robots: text, paceMs })
      const held = this.#held.get(host.host)
      if (held !== undefined)
        this.#held.set(host.host, { ...held, robots: text, robotsAt: new Date(), paceMs, waitMs: Math.max(held.waitMs, paceMs) })
    }
    const robots = robotsParser(at.href, text)
    return (address) => robots.isAllowed(address, ROBOT) !== false
  }
}

/** How long an answer asks to be left alone, in milliseconds: `Retry-After` in seconds or as a date (RFC 9110 §10.2.3). */
function askedToWait({ status, retryAfter }: Answer): number {
  if ((status !== 429 && status !== 503) || retryAfter === null) return 0
  const ms = /^\d+$/.test(retryAfter.trim()) ? Number(retryAfter) * 1_000 : Date.parse(retryAfter) - Date.now()
  return Number.isNaN(ms) ? 0 : Math.min(WAITED_MAX_MS, Math.max(0, ms))
}
