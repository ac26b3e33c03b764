import { ROBOTS_PATH, SITEMAP_PATH } from '../address/index.ts'
import { type Device, deviceOf } from '../clicks/index.ts'
import { logTimeMs, Places, unescapedTarget } from './log-line.ts'
import { matchRedirect, type RedirectSource } from './match.ts'
import { noiseOf, tellingEnding } from './missed.ts'
import { plainPath } from './path.ts'

/** How a site answers, as of a table. */
export interface ReplaySite {
  readonly live: RedirectSource
  /** Null where it is the same. */
  readonly draft: RedirectSource | null
  /** Of the log's lines, which do not say it. */
  readonly host: string
  readonly origin: string
  /** Whether something is published at a path. @param path - see `plainPath` */
  hasPage(path: string): boolean
  /** Whether anything of the site ever had this ending. @param ending - see `tellingEnding` */
  hasEnding(ending: string): boolean
}

export interface ReplayExample {
  readonly path: string
  readonly visits: number
}
export interface ChangedExample extends ReplayExample {
  /** Status and location now, and by the draft; "" where nothing answers. */
  readonly now: string
  readonly after: string
}

/** What a log came to. */
export interface ReplayTally {
  readonly lines: number
  /** Lines that are none of a log, empty ones among them. */
  readonly broken: number
  /** By the table that is tried: the draft where there is one. */
  readonly answered: number
  readonly missed: number
  /** Answered otherwise by the draft than now. */
  readonly changed: number
  /** Missed by scanners, for icons, probes and parts of pages: in `missed` too. */
  readonly noise: number
  /** About how many visitors, by network address and browser. */
  readonly visitors: { readonly answered: number; readonly missed: number; readonly changed: number }
  readonly examples: { readonly missed: readonly ReplayExample[]; readonly changed: readonly ChangedExample[] }
}

/** Addresses whose answer is remembered: those of a log are asked for again and again. */
const KNOWN_MAX = 200_000
/** Missed or changed addresses that are counted one by one. */
const EXAMPLES_KEPT = 20_000
const EXAMPLES_SHOWN = 100

interface Judged {
  readonly path: string
  readonly now: string
  readonly after: string
  readonly isNoise: boolean
}

/** Runs an access log through a table, or through one that is and one that is to be. Takes the same memory however long the log is. */
export class Replay {
  readonly #site: ReplaySite
  readonly #at = new Places()
  readonly #known = new Map<string, Judged>()
  #lines = 0
  #broken = 0
  #answered = 0
  #missed = 0
  #changed = 0
  #noise = 0
  readonly #visitors = { answered: new Crowd(), missed: new Crowd(), changed: new Crowd() }
  readonly #missedBy = new Often()
  readonly #changedBy = new Map<string, { visits: number; judged: Judged }>()

  constructor(site: ReplaySite) {
    this.#site = site
  }

  line(text: string): void {
    this.#lines++
    const judged = this.#at.find(text) ? this.#judge(text) : null
    if (judged === null) {
      this.#broken++
      return
    }
    const who = hashOf(text, this.#at.agentFrom, this.#at.agentTo, hashOf(text, 0, this.#at.blank, 0x811c9dc5))
    if (judged.after === '') {
      this.#missed++
      this.#visitors.missed.add(who)
      if (judged.isNoise) this.#noise++
      else this.#missedBy.add(judged.path)
    } else {
      this.#answered++
      this.#visitors.answered.add(who)
    }
    if (judged.now === judged.after) return
    this.#changed++
    this.#visitors.changed.add(who)
    const known = this.#changedBy.get(judged.path)
    if (known !== undefined) known.visits++
    else if (this.#changedBy.size < EXAMPLES_KEPT) this.#changedBy.set(judged.path, { visits: 1, judged })
  }

  tally(): ReplayTally {
    return {
      lines: this.#lines,
      broken: this.#broken,
      answered: this.#answered,
      missed: this.#missed,
      changed: this.#changed,
      noise: this.#noise,
      visitors: { answered: this.#visitors.answered.size, missed: this.#visitors.missed.size, changed: this.#visitors.changed.size },
      examples: {
        missed: this.#missedBy.most(EXAMPLES_SHOWN),
        changed: [...this.#changedBy.values()]
          .sort((a, b) => b.visits - a.visits)
          .slice(0, EXAMPLES_SHOWN)
          .map(({ visits, judged: { path, now, after } }) => ({ path, visits, now, after })),
      },
    }
  }

  #judge(line: string): Judged | null {
    const { live, draft } = this.#site
    const { methodTo, targetTo, agentFrom, agentTo, timeFrom, timeTo } = this.#at
    const target = line.slice(methodTo + 1, targetTo)
    if (live.hasConditions || draft?.hasConditions === true)
      return this.#ask(target, deviceOf(line.slice(agentFrom, agentTo)), logTimeMs(line.slice(timeFrom, timeTo)) ?? 0)
    const known = this.#known.get(target)
    if (known !== undefined) return known
    const judged = this.#ask(target, 'other', 0)
    if (this.#known.size >= KNOWN_MAX) this.#known.clear()
    if (judged !== null) this.#known.set(target, judged)
    return judged
  }

  #ask(target: string, device: Device, nowMs: number): Judged | null {
    const { live, draft, host, origin, hasPage, hasEnding } = this.#site
    const asked = unescapedTarget(target)
    const own = asked.startsWith('/') ? asked : /^https?:\/\/[^/?#]+(\/.*)?$/i.exec(asked)?.[1]
    if (own === undefined) return null
    const at = own.indexOf('?')
    const sent = at === -1 ? own : own.slice(0, at)
    const path = plainPath(sent)
    const query = at === -1 ? '' : own.slice(at + 1)
    const isPage = hasPage(path)
    // Answered where nothing else is, and only as it is sent.
    const isOurs = sent === SITEMAP_PATH || sent === ROBOTS_PATH
    const answerOf = (source: RedirectSource): string => {
      const found = matchRedirect({ host, origin, isByNameOnly: false, path, query, language: null, device, nowMs }, source, () => isPage)
      return found === null ? (isPage || isOurs ? '200' : '') : `${found.status} ${found.location ?? ''}`.trim()
    }
    const now = answerOf(live)
    const ending = tellingEnding(sent)
    const isNoise = noiseOf(sent) !== null || (ending !== '' && !hasEnding(ending))
    return { path: sent, now, after: draft === null ? now : answerOf(draft), isNoise }
  }
}

/** Counts how often each of very many comes, in the same memory: those that came once make room, now and then. */
class Often {
  readonly #visits = new Map<string, number>()
  #turnedAway = 0

  add(name: string): void {
    const before = this.#visits.get(name)
    if (before === undefined && this.#visits.size >= EXAMPLES_KEPT && !this.#makeRoom()) return
    this.#visits.set(name, (before ?? 0) + 1)
  }

  /** Room is made only after many were turned away, so that it costs each of them little. */
  #makeRoom(): boolean {
    if (++this.#turnedAway < EXAMPLES_KEPT / 4) return false
    this.#turnedAway = 0
    for (const [each, visits] of this.#visits) if (visits === 1) this.#visits.delete(each)
    return this.#visits.size < EXAMPLES_KEPT
  }

  most(limit: number): ReplayExample[] {
    return [...this.#visits]
      .sort((a, b) => b[1] - a[1] || (a[0] < b[0] ? -1 : 1))
      .slice(0, limit)
      .map(([path, visits]) => ({ path, visits }))
  }
}

/** FNV-1a of a stretch of text, begun with a number, and mixed well (the end of MurmurHash3). */
function hashOf(text: string, from: number, to: number, seed: number): number {
  let hash = seed
  for (let i = from; i < to; i++) hash = Math.imul(hash ^ text.charCodeAt(i), 0x01000193)
  hash = Math.imul(hash ^ (hash >>> 16), 0x85ebca6b)
  return (hash ^ (hash >>> 13)) >>> 0
}

/** Places of a {@link Crowd}. With a million visitors the error is about one in a thousand. */
const PLACES = 1 << 23

/** Tells about how many different ones have come, in the same memory however many (linear counting: Whang et al., 1990). */
class Crowd {
  readonly #bits = new Uint8Array(PLACES >> 3)
  #taken = 0

  add(hash: number): void {
    const place = hash & (PLACES - 1)
    const [byte, bit] = [place >> 3, 1 << (place & 7)]
    if (((this.#bits[byte] ?? 0) & bit) !== 0) return
    this.#bits[byte] = (this.#bits[byte] ?? 0) | bit
    this.#taken++
  }

  get size(): number {
    return this.#taken === PLACES ? PLACES : Math.round(-PLACES * Math.log(1 - this.#taken / PLACES))
  }
}
