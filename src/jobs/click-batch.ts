import { setImmediate as breathe } from 'node:timers/promises'
import { type NoiseKind, noiseOf, SCANNED_MIN } from '../core/routing/index.ts'
import type { ClickBatch } from '../data/clicks.ts'
import type { SeenLink, SeenPage, SeenVisitor } from '../data/counted-pages.ts'
import type { MissedCount, MissedNoise } from '../data/missed.ts'

/** Lines read before the database is looked after again, which takes the batch before meanwhile. */
const STRETCH_LINES = 4_000
/** When a whole line of the log came; half a line (a crash, a full disk) was never answered, or is there once more. */
const AT = /^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d\.\d{3}Z$/
const AT_CHARS = 24
const ID = /^[0-9a-f-]{36}$/
const ID_CHARS = 36
/** A control (Unicode's Cc) other than the tab between two fields, and the end of a line. */
const CONTROL = /[\0-\x08\x0b-\x1f\x7f-\x9f]/
/** What comes behind them. */
const REST = /^(person|bot|prefetch|head)\t[0-9a-f]{16}\t([a-z]+)\t([a-z]+|\\N)\t([^\t\\]+|\\N)(?:\t(\d{1,3}|\\N))?$/

/** An address that was asked for in vain; logs of an earlier version do not tell by whom. */
const MISSED =
  /^missed\t((\d{4}-\d\d-\d\d)T[\d:.]+Z)\t([0-9a-f-]{36})\t([^\t]+)\t([^\t]+)\t(person|bot|prefetch|head)\t([^\t]*)(?:\t([0-9a-f]{16}))?$/

interface MissedLine {
  readonly at: string
  readonly day: string
  readonly siteId: string
  readonly host: string
  readonly path: string
  readonly isPerson: boolean
  readonly referrer: string
  /** "" where it is not known. */
  readonly visitor: string
}

/** Counts what a stretch of the log has of missed addresses. */
class MissedCounts {
  readonly #paths = new Map<string, MissedCount & { readonly referrers: Map<string, number> }>()
  readonly #noise = new Map<string, MissedNoise>()
  /** By visitor of a day, until it is known which of them only tries doors. */
  readonly #held = new Map<string, MissedLine[]>()

  /** @returns false where the line is none of these */
  take(line: string): boolean {
    if (!line.startsWith('missed')) return false
    const [, at = '', day = '', siteId = '', host = '', path = '', visit = '', referrer = '', visitor = ''] = MISSED.exec(line) ?? []
    if (at === '') return false
    const missed = { at, day, siteId, host, path, isPerson: visit === 'person', referrer, visitor }
    const kind = noiseOf(path)
    if (kind !== null) this.#addNoise(missed, kind)
    else if (visitor === '') this.#add(missed)
    else this.#hold(missed)
    return true
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
    const who = `${missed.day} ${missed.visitor}`
    const before = this.#held.get(who)
    if (before === undefined) this.#held.set(who, [missed])
    else before.push(missed)
  }

  #addNoise({ siteId, day }: MissedLine, kind: NoiseKind): void {
    const key = `${siteId} ${day} ${kind}`
    this.#noise.set(key, { siteId, day, kind, visits: (this.#noise.get(key)?.visits ?? 0) + 1 })
  }

  #add({ at, day, siteId, host, path, isPerson, referrer }: MissedLine): void {
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

/** A page that was looked at, or a link on it that was followed. */
const SEEN =
  /^seen\t(\d{4}-\d\d-\d\dT\d\d):[\d:.]+Z\t([0-9a-f-]{36})\t([^\t]+)\t(view|link)\t([^\t]+)\t([^\t]*)\t(\d{1,2})\t(person|bot|prefetch|head)\t([0-9a-f]{16})$/

/** Counts what a stretch of the log has of page views, and of links out that were followed. */
class SeenCounts {
  readonly #pages = new Map<string, Mutable<SeenPage>>()
  readonly #links = new Map<string, Mutable<SeenLink>>()
  readonly #visitors = new Map<string, SeenVisitor>()

  /** @returns false where the line is none of these */
  take(line: string): boolean {
    if (!line.startsWith('seen')) return false
    const [, hour = '', siteId = '', host = '', kind = '', path = '', address = '', nth = '', visit = '', visitor = ''] =
      SEEN.exec(line) ?? []
    if (hour === '') return false
    const isPerson = visit === 'person'
    const count = { people: isPerson ? 1 : 0, others: isPerson ? 0 : 1 }
    if (kind === 'view') {
      add(this.#pages, `${hour} ${siteId} ${host} ${path}`, { siteId, host, path, hour, ...count })
      this.#visitors.set(`${hour.slice(0, DAY_CHARS)} ${visitor}`, { day: hour.slice(0, DAY_CHARS), visitor })
    } else
      add(this.#links, `${hour} ${siteId} ${host} ${path} ${nth} ${address}`, {
        siteId,
        host,
        path,
        address,
        nth: Number(nth),
        hour,
        ...count,
      })
    return true
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

/** Clicks of one link, counted apart by what they have in common. */
class LinkTally {
  /** By hour, visit and destination of a split, each with how many. */
  readonly #hours = new Map<string, { hour: string; visit: string; variant: number; clicks: number }>()
  /** Of people, by day and by what they said of themselves. */
  readonly #sources = new Map<string, Record<'referrer' | 'device' | 'language', Map<string, number>>>()

  add(hour: string, visit: string, variant: number): void {
    const key = `${hour}${visit}${variant}`
    const known = this.#hours.get(key)
    if (known === undefined) this.#hours.set(key, { hour, visit, variant, clicks: 1 })
    else known.clicks++
  }

  addPerson(day: string, said: Readonly<Record<'referrer' | 'device' | 'language', string>>): void {
    let ofDay = this.#sources.get(day)
    if (ofDay === undefined) {
      ofDay = { referrer: new Map(), device: new Map(), language: new Map() }
      this.#sources.set(day, ofDay)
    }
    for (const kind of SOURCE_KINDS) {
      const value = said[kind] === '\\N' ? '' : said[kind]
      ofDay[kind].set(value, (ofDay[kind].get(value) ?? 0) + 1)
    }
  }

  tell(shortLinkId: string, into: Pick<Mutable<ClickBatch>, 'rollups' | 'hours' | 'sources'>): void {
    const days = new Map<string, { day: string; visit: string; clicks: number }>()
    for (const each of this.#hours.values()) {
      into.hours.push({ shortLinkId, ...each })
      const day = each.hour.slice(0, DAY_CHARS)
      const key = `${day}${each.visit}`
      days.set(key, { day, visit: each.visit, clicks: (days.get(key)?.clicks ?? 0) + each.clicks })
    }
    for (const each of days.values()) into.rollups.push({ shortLinkId, ...each })
    for (const [day, kinds] of this.#sources)
      for (const kind of SOURCE_KINDS)
        for (const [value, clicks] of kinds[kind]) into.sources.push({ shortLinkId, day, kind, value, clicks })
  }
}

const SOURCE_KINDS = ['referrer', 'device', 'language'] as const
/** Of "2026-11-24T07:05:01.123Z": its day, and its hour. */
const DAY_CHARS = 10
const HOUR_CHARS = 13
type Mutable<T> = { -readonly [K in keyof T]: T[K] extends readonly (infer Each)[] ? Each[] : T[K] }

/** Counts what stands in a stretch of a click log. @returns also how many of its lines are none */
export async function batchOf(
  text: string,
  place: Pick<ClickBatch, 'node' | 'segment' | 'from' | 'to'>,
): Promise<{ readonly batch: ClickBatch; readonly spoilt: number }> {
  const lines: string[] = []
  const days = new Set<string>()
  const links = new Map<string, LinkTally>()
  const missed = new MissedCounts()
  const seen = new SeenCounts()
  let spoilt = 0
  // No text of the database holds one (PostgreSQL, "Character Types"), and no line that was answered does: looked for once in all of it.
  const hasControls = CONTROL.test(text)
  for (const [i, line] of text.split('\n').entries()) {
    if (i % STRETCH_LINES === STRETCH_LINES - 1) await breathe()
    if (line === '') continue
    if (hasControls && CONTROL.test(line)) {
      spoilt++
      continue
    }
    if (missed.take(line) || seen.take(line)) continue
    const id = line.slice(AT_CHARS + 1, AT_CHARS + 1 + ID_CHARS)
    const found = REST.exec(line.slice(AT_CHARS + ID_CHARS + 2))
    let link = links.get(id)
    // An id that is known is one; the text before it is looked at each time.
    const day = line.slice(0, DAY_CHARS)
    const isWhole =
      found !== null &&
      AT.test(line.slice(0, AT_CHARS)) &&
      (link !== undefined || ID.test(id)) &&
      (days.has(day) || !Number.isNaN(Date.parse(day)))
    if (!isWhole || line[AT_CHARS] !== '\t' || line[AT_CHARS + 1 + ID_CHARS] !== '\t') {
      spoilt++
      continue
    }
    if (link === undefined) {
      link = new LinkTally()
      links.set(id, link)
    }
    const [, visit = '', device = '', language = '', referrer = '', variant] = found
    // Logs of an earlier version say nothing of splits.
    lines.push(variant === undefined ? `${line}\t\\N` : line)
    days.add(day)
    link.add(line.slice(0, HOUR_CHARS), visit, variant === undefined || variant === '\\N' ? -1 : Number(variant))
    if (visit === 'person') link.addPerson(day, { referrer, device, language })
  }
  missed.end((visitor) => seen.hasSeen(visitor))
  const batch: Mutable<ClickBatch> = {
    ...place,
    lines,
    days: [...days],
    rollups: [],
    hours: [],
    sources: [],
    missed: missed.counted,
    seen: seen.counted,
  }
  for (const [id, link] of links) link.tell(id, batch)
  return { batch, spoilt }
}
