import { setImmediate as breathe } from 'node:timers/promises'
import {
  dayOf,
  hourOf,
  type MissedLine,
  readClickStart,
  readClickTail,
  readMissed,
  readSeen,
  type SeenLine,
  SOURCE_OF,
  SOURCES,
  type Source,
  type Visit,
  withoutVariant,
} from '../core/clicks/index.ts'
import { type NoiseKind, noiseOf, SCANNED_MIN } from '../core/routing/index.ts'
import type { ClickBatch } from '../data/clicks.ts'
import type { SeenLink, SeenPage, SeenVisitor } from '../data/counted-pages.ts'
import type { MissedCount, MissedNoise } from '../data/missed.ts'

/** Lines read before the database is looked after again, which takes the batch before meanwhile. */
const STRETCH_LINES = 4_000
/** Counts what a stretch of the log has of missed addresses. */
class MissedCounts {
  readonly #paths = new Map<string, MissedCount & { readonly referrers: Map<string, number> }>()
  readonly #noise = new Map<string, MissedNoise>()
  /** By visitor of a day, until it is known which of them only tries doors. */
  readonly #held = new Map<string, MissedLine[]>()

  take(missed: MissedLine): void {
    const kind = noiseOf(missed.path)
    if (kind !== null) this.#addNoise(missed, kind)
    else if (missed.visitor === '') this.#add(missed)
    else this.#hold(missed)
  }

  /** @param hasSeen - whether a visitor saw a page, by the day and their name */
  end(hasSeen: (visitor: string) => boolean): void {
    for (const [who, lines] of this.#held) {
      const isScanner = !hasSeen(who) && new Set(lines.map(({ host, path }) => host + path)).size >= SCANNED_MIN
      for (const each of lines) isScanner ? this.#addNoise(each, 'scanner') : this.#add(each)
    }
    this.#held.clear()
  }

  #hold(missed: MissedLine): void {
    const who = `${dayOf(missed.at)} ${missed.visitor}`
    const before = this.#held.get(who)
    if (before === undefined) this.#held.set(who, [missed])
    else before.push(missed)
  }

  #addNoise({ siteId, at }: MissedLine, kind: NoiseKind): void {
    const day = dayOf(at)
    const key = `${siteId} ${day} ${kind}`
    this.#noise.set(key, { siteId, day, kind, visits: (this.#noise.get(key)?.visits ?? 0) + 1 })
  }

  #add({ at, siteId, host, path, visit, referrer }: MissedLine): void {
    const day = dayOf(at)
    const isPerson = visit === 'person'
    const key = `${siteId} ${day} ${host} ${path}`
    const before = this.#paths.get(key)
    const referrers = before?.referrers ?? new Map<string, number>()
    if (referrer !== '' && (referrers.size < REFERRERS_MAX || referrers.has(referrer)))
      referrers.set(referrer, (referrers.get(referrer) ?? 0) + 1)
    this.#paths.set(key, {
      siteId,
      host,
      path,
      day,
      people: (before?.people ?? 0) + (isPerson ? 1 : 0),
      others: (before?.others ?? 0) + (isPerson ? 0 : 1),
      // Lines that were held come one visitor after the other.
      firstAt: before === undefined || at < before.firstAt ? at : before.firstAt,
      lastAt: before === undefined || at > before.lastAt ? at : before.lastAt,
      referrers,
    })
  }

  get counted(): { paths: MissedCount[]; noise: MissedNoise[] } {
    return { paths: [...this.#paths.values()], noise: [...this.#noise.values()] }
  }
}

/** Counts what a stretch of the log has of page views, and of links out that were followed. */
class SeenCounts {
  readonly #pages = new Map<string, Mutable<SeenPage>>()
  readonly #links = new Map<string, Mutable<SeenLink>>()
  readonly #visitors = new Map<string, SeenVisitor>()

  take({ at, siteId, host, kind, path, address, nth, visit, visitor }: SeenLine): void {
    const [day, hour] = [dayOf(at), hourOf(at)]
    const isPerson = visit === 'person'
    const count = { people: isPerson ? 1 : 0, others: isPerson ? 0 : 1 }
    if (kind === 'view') {
      add(this.#pages, `${hour} ${siteId} ${host} ${path}`, { siteId, host, path, hour, ...count })
      this.#visitors.set(`${day} ${visitor}`, { day, visitor })
    } else add(this.#links, `${hour} ${siteId} ${host} ${path} ${nth} ${address}`, { siteId, host, path, address, nth, hour, ...count })
  }

  /** Whether a visitor looked at a page. @param visitor - a day, and the name of that day */
  hasSeen(visitor: string): boolean {
    return this.#visitors.has(visitor)
  }

  get counted(): ClickBatch['seen'] {
    return { pages: [...this.#pages.values()], links: [...this.#links.values()], visitors: [...this.#visitors.values()] }
  }
}

function add<T extends { people: number; others: number }>(to: Map<string, T>, key: string, one: T): void {
  const known = to.get(key)
  if (known === undefined) to.set(key, one)
  else {
    known.people += one.people
    known.others += one.others
  }
}

/** Sites that led to one missed address, in one stretch of the log. */
const REFERRERS_MAX = 20

/** Clicks of one link within one hour, by who clicked and the tail of their line. */
type HourTally = Map<Visit, Map<string, number>>

/** Clicks of one link, counted apart by what they have in common. Lines come in the order of time: the hour before is looked at first. */
class LinkTally {
  readonly #hours = new Map<string, HourTally>()
  #lastHour = ''
  #last: HourTally = new Map()

  add(hour: string, visit: Visit, tail: string): void {
    if (hour !== this.#lastHour) {
      this.#lastHour = hour
      this.#last = this.#hours.get(hour) ?? new Map()
      this.#hours.set(hour, this.#last)
    }
    let tails = this.#last.get(visit)
    if (tails === undefined) {
      tails = new Map()
      this.#last.set(visit, tails)
    }
    tails.set(tail, (tails.get(tail) ?? 0) + 1)
  }

  /** @param saidBy - what a tail says */
  tell(
    shortLinkId: string,
    saidBy: (tail: string) => ReturnType<typeof readClickTail>,
    into: Pick<Mutable<ClickBatch>, 'rollups' | 'hours' | 'sources'>,
  ): void {
    const days = new Map<string, Map<Visit, number>>()
    const sources = new Map<string, Record<Source, Map<string, number>>>()
    for (const [hour, visits] of this.#hours) {
      const day = dayOf(hour)
      for (const [visit, tails] of visits) {
        const variants = new Map<number, number>()
        for (const [tail, clicks] of tails) {
          const said = saidBy(tail)
          if (said === null) continue
          count(variants, said.variant ?? -1, clicks)
          count(
            within(days, day, () => new Map<Visit, number>()),
            visit,
            clicks,
          )
          if (visit !== 'person') continue
          const ofDay = within(sources, day, () => ({ referrer: new Map(), device: new Map(), language: new Map() }))
          for (const source of SOURCES) count(ofDay[source], SOURCE_OF[source](said), clicks)
        }
        for (const [variant, clicks] of variants) into.hours.push({ shortLinkId, hour, visit, variant, clicks })
      }
    }
    for (const [day, visits] of days) for (const [visit, clicks] of visits) into.rollups.push({ shortLinkId, day, visit, clicks })
    for (const [day, kinds] of sources)
      for (const kind of SOURCES) for (const [value, clicks] of kinds[kind]) into.sources.push({ shortLinkId, day, kind, value, clicks })
  }
}

function count<K>(counts: Map<K, number>, key: K, more: number): void {
  counts.set(key, (counts.get(key) ?? 0) + more)
}

function within<K, V>(all: Map<K, V>, key: K, make: () => V): V {
  const known = all.get(key)
  if (known !== undefined) return known
  const made = make()
  all.set(key, made)
  return made
}

type Mutable<T> = { -readonly [K in keyof T]: T[K] extends readonly (infer Each)[] ? Each[] : T[K] }

/** The lines of clicks as they are copied: what stands together in the log goes on together. */
class Copied {
  readonly pieces: string[] = []
  readonly #text: string
  #from = 0
  #to = 0

  constructor(text: string) {
    this.#text = text
  }

  /** A line that goes on as it stands. @param to - behind its line end */
  take(from: number, to: number): void {
    if (from !== this.#to) this.end(from)
    this.#to = to
  }

  /** A line that goes on in another form. */
  put(line: string, to: number): void {
    this.end(to)
    this.pieces.push(`${line}\n`)
  }

  /** What stands together ends here. @param next - where something else may begin */
  end(next: number): void {
    if (this.#to > this.#from) {
      const piece = this.#text.slice(this.#from, this.#to)
      this.pieces.push(piece.endsWith('\n') ? piece : `${piece}\n`)
    }
    this.#from = next
    this.#to = next
  }
}

/** Counts what stands in a stretch of a click log. @returns also how many of its lines are none */
export async function batchOf(
  text: string,
  place: Pick<ClickBatch, 'node' | 'segment' | 'from' | 'to'>,
): Promise<{ readonly batch: ClickBatch; readonly spoilt: number }> {
  const copied = new Copied(text)
  const days = new Set<string>()
  const links = new Map<string, LinkTally>()
  const tails = new Map<string, ReturnType<typeof readClickTail>>()
  const missed = new MissedCounts()
  const seen = new SeenCounts()
  let [clicks, spoilt, lines] = [0, 0, 0]
  const isKnown = (id: string): boolean => links.has(id)
  const saidBy = (tail: string): ReturnType<typeof readClickTail> => {
    const known = tails.get(tail)
    if (known !== undefined) return known
    const said = readClickTail(tail)
    tails.set(tail, said)
    return said
  }
  for (let from = 0; from < text.length; ) {
    const end = text.indexOf('\n', from)
    const to = end === -1 ? text.length : end + 1
    const line = text.slice(from, end === -1 ? to : end)
    const lineAt = from
    from = to
    if (++lines % STRETCH_LINES === 0) await breathe()
    if (line === '') continue
    const click = readClickStart(line, isKnown)
    if (click === null) {
      const inVain = readMissed(line)
      const looked = inVain === null ? readSeen(line) : null
      if (inVain !== null) missed.take(inVain)
      else if (looked !== null) seen.take(looked)
      else spoilt++
      continue
    }
    const said = saidBy(click.tail)
    const day = dayOf(click.at)
    if (said === null || !(days.has(day) || !Number.isNaN(Date.parse(day)))) {
      spoilt++
      continue
    }
    days.add(day)
    clicks++
    if (said.hasVariant) copied.take(lineAt, to)
    else copied.put(withoutVariant(line), to)
    within(links, click.shortLinkId, () => new LinkTally()).add(hourOf(click.at), click.visit, click.tail)
  }
  copied.end(text.length)
  missed.end((visitor) => seen.hasSeen(visitor))
  const batch: Mutable<ClickBatch> = {
    ...place,
    clicks,
    copied: copied.pieces,
    days: [...days],
    rollups: [],
    hours: [],
    sources: [],
    missed: missed.counted,
    seen: seen.counted,
  }
  for (const [id, link] of links) link.tell(id, saidBy, batch)
  return { batch, spoilt }
}
