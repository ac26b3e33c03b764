import { open, readdir, rm, stat } from 'node:fs/promises'
import path from 'node:path'
import { setImmediate as breathe } from 'node:timers/promises'
import type { Logger } from 'pino'
import { noiseOf } from '../core/routing/index.ts'
import { Changes } from '../data/changes.ts'
import { type ClickBatch, forgetSegment, loadClicks, loadedBytes } from '../data/clicks.ts'
import { type Database, inTransaction } from '../data/database.ts'
import type { MissedCount, MissedNoise } from '../data/missed.ts'
import { fillShortLinks, limitedShortLinks } from '../data/short-link-watch.ts'

/** Most of a segment that goes into one transaction. */
const BATCH_BYTES = 12 * 1024 * 1024
/** Lines read before the database is looked after again, which takes the batch before meanwhile. */
const STRETCH_LINES = 4_000
/** When a whole line of the log came; half a line (a crash, a full disk) was never answered, or is there once more. */
const AT = /^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d\.\d{3}Z$/
const AT_CHARS = 24
const ID = /^[0-9a-f-]{36}$/
const ID_CHARS = 36
/** What comes behind them. */
const REST = /^(person|bot|prefetch|head)\t[0-9a-f]{16}\t([a-z]+)\t([a-z]+|\\N)\t([^\t\\]+|\\N)(?:\t(\d{1,3}|\\N))?$/

/**
 * Moves the click logs of this machine into PostgreSQL, every stretch once.
 * @returns how many clicks were loaded
 */
export async function loadClickLogs(db: Database, folder: string, log: Logger): Promise<number> {
  let clicks = 0
  for (const node of await readdir(folder).catch(() => [])) {
    const segments = (await readdir(path.join(folder, node))).filter((name) => name.endsWith('.log')).sort()
    for (const segment of segments)
      clicks += await loadSegment(db, { file: path.join(folder, node, segment), node, segment, isClosed: isClosed(segment, segments) }, log)
  }
  return clicks
}

/** Bytes of click logs that lie on this machine: what was loaded goes when its segment is closed. */
export async function clickLogBytes(folder: string): Promise<number> {
  let bytes = 0
  for (const node of await readdir(folder).catch(() => []))
    for (const segment of await readdir(path.join(folder, node)))
      bytes += (await stat(path.join(folder, node, segment)).catch(() => ({ size: 0 }))).size
  return bytes
}

/** Nobody writes to a segment any more: its process has opened a later one, or is gone. */
function isClosed(segment: string, segments: readonly string[]): boolean {
  const [startedAt, pid] = segment.split('-')
  const own = segments.filter((each) => each.startsWith(`${startedAt}-${pid}-`))
  return own[own.length - 1] !== segment || !isRunning(Number(pid))
}

/** Tells whether a process is there, be it somebody else's. */
export function isRunning(pid: number): boolean {
  try {
    process.kill(pid, 0)
    return true
  } catch (error) {
    return error instanceof Error && 'code' in error && error.code === 'EPERM'
  }
}

async function loadSegment(
  db: Database,
  { file, node, segment, isClosed }: { file: string; node: string; segment: string; isClosed: boolean },
  log: Logger,
): Promise<number> {
  /** Loaded up to here; read up to there: a batch is read while the one before it goes into the database. */
  let at = await loadedBytes(db, node, segment)
  let read = at
  let clicks = 0
  let loading: Promise<ClickBatch | null> | null = null
  const load = async (batch: ClickBatch): Promise<ClickBatch | null> => {
    if (!(await loadClicks(db, batch))) return null
    await endFull(db, batch)
    return batch
  }
  /** @returns false when somebody else has loaded from there */
  const isLoaded = async (): Promise<boolean> => {
    const batch = await loading
    loading = null
    if (batch === null) return false
    clicks += batch.lines.length
    at = batch.to
    return true
  }
  const { size } = await stat(file)
  const handle = await open(file)
  try {
    while (read < size) {
      const chunk = Buffer.alloc(Math.min(BATCH_BYTES, size - read))
      const { bytesRead } = await handle.read(chunk, 0, chunk.length, read)
      const end = chunk.subarray(0, bytesRead).lastIndexOf(10) + 1
      if (end === 0) break // the last line is still being written
      const { batch, spoilt } = await batchOf(chunk.toString('utf8', 0, end), { node, segment, from: read, to: read + end })
      if (spoilt > 0) log.warn({ segment, lines: spoilt }, 'half lines in the click log were passed over')
      if (loading !== null && !(await isLoaded())) break
      loading = load(batch)
      loading.catch(() => {}) // thrown where it is waited for
      read += end
    }
    if (loading !== null) await isLoaded()
  } finally {
    await handle.close()
  }
  if (isClosed && (await stat(file)).size - at < BATCH_BYTES && !(await hasWholeLine(file, at))) {
    await rm(file)
    await forgetSegment(db, node, segment)
  }
  return clicks
}

/** Ends the short links that have had all the clicks that they were to have. Broken off before, it is done at the next click. */
async function endFull(db: Database, { rollups }: ClickBatch): Promise<void> {
  const clicked = [...new Set(rollups.filter(({ visit }) => visit === 'person').map(({ shortLinkId }) => shortLinkId))]
  const limited = await limitedShortLinks(db, clicked)
  if (limited.length === 0) return
  await inTransaction(db, async (transaction) => {
    const changes = new Changes()
    for (const { id, siteId } of await fillShortLinks(db, limited, transaction)) changes.add(siteId, 'short-links', id, 'changed')
    await changes.write(db, transaction)
  })
}

async function hasWholeLine(file: string, from: number): Promise<boolean> {
  const handle = await open(file)
  try {
    const chunk = Buffer.alloc(BATCH_BYTES)
    const { bytesRead } = await handle.read(chunk, 0, chunk.length, from)
    return chunk.subarray(0, bytesRead).includes(10)
  } finally {
    await handle.close()
  }
}

/** An address that was asked for in vain. */
const MISSED = /^missed\t((\d{4}-\d\d-\d\d)T[\d:.]+Z)\t([0-9a-f-]{36})\t([^\t]+)\t([^\t]+)\t(person|bot|prefetch|head)\t([^\t]*)$/

/** Counts what a stretch of the log has of missed addresses. */
class MissedCounts {
  readonly #paths = new Map<string, MissedCount & { readonly referrers: Map<string, number> }>()
  readonly #noise = new Map<string, MissedNoise>()

  /** @returns false where the line is none of these */
  take(line: string): boolean {
    if (!line.startsWith('missed')) return false
    const [, at = '', day = '', siteId = '', host = '', path = '', visit = '', referrer = ''] = MISSED.exec(line) ?? []
    if (at === '') return false
    const kind = noiseOf(path)
    if (kind !== null) {
      const key = `${siteId} ${day} ${kind}`
      this.#noise.set(key, { siteId, day, kind, visits: (this.#noise.get(key)?.visits ?? 0) + 1 })
      return true
    }
    const key = `${siteId} ${day} ${host} ${path}`
    const before = this.#paths.get(key)
    const referrers = before?.referrers ?? new Map<string, number>()
    if (referrer !== '' && (referrers.size < REFERRERS_MAX || referrers.has(referrer)))
      referrers.set(referrer, (referrers.get(referrer) ?? 0) + 1)
    const isPerson = visit === 'person'
    this.#paths.set(key, {
      siteId,
      host,
      path,
      day,
      people: (before?.people ?? 0) + (isPerson ? 1 : 0),
      others: (before?.others ?? 0) + (isPerson ? 0 : 1),
      firstAt: before?.firstAt ?? at,
      lastAt: at,
      referrers,
    })
    return true
  }

  get counted(): { paths: MissedCount[]; noise: MissedNoise[] } {
    return { paths: [...this.#paths.values()], noise: [...this.#noise.values()] }
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
  let spoilt = 0
  for (const [i, line] of text.split('\n').entries()) {
    if (i % STRETCH_LINES === STRETCH_LINES - 1) await breathe()
    if (line === '' || missed.take(line)) continue
    const id = line.slice(AT_CHARS + 1, AT_CHARS + 1 + ID_CHARS)
    const found = REST.exec(line.slice(AT_CHARS + ID_CHARS + 2))
    let link = links.get(id)
    // An id that is known is one; the text before it is looked at each time.
    const isWhole = found !== null && AT.test(line.slice(0, AT_CHARS)) && (link !== undefined || ID.test(id))
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
    const day = line.slice(0, DAY_CHARS)
    days.add(day)
    link.add(line.slice(0, HOUR_CHARS), visit, variant === undefined || variant === '\\N' ? -1 : Number(variant))
    if (visit === 'person') link.addPerson(day, { referrer, device, language })
  }
  const batch: Mutable<ClickBatch> = { ...place, lines, days: [...days], rollups: [], hours: [], sources: [], missed: missed.counted }
  for (const [id, link] of links) link.tell(id, batch)
  return { batch, spoilt }
}
