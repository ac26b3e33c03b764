import { open, readdir, rm, stat } from 'node:fs/promises'
import path from 'node:path'
import type { Logger } from 'pino'
import { noiseOf } from '../core/routing/index.ts'
import { type ClickBatch, forgetSegment, loadClicks, loadedBytes } from '../data/clicks.ts'
import type { Database } from '../data/database.ts'
import type { MissedCount, MissedNoise } from '../data/missed.ts'

/** Most of a segment that goes into one transaction. */
const BATCH_BYTES = 4 * 1024 * 1024
/** A whole line as the log writes it; half a line (a crash, a full disk) was never answered, or is there once more. */
const LINE =
  /^(\d{4}-\d\d-\d\d)T[\d:.]+Z\t([0-9a-f-]{36})\t(person|bot|prefetch|head)\t[0-9a-f]{16}\t[a-z]+\t(?:[a-z]+|\\N)\t(?:[^\t\\]+|\\N)$/

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
  let at = await loadedBytes(db, node, segment)
  let clicks = 0
  const { size } = await stat(file)
  const handle = await open(file)
  try {
    while (at < size) {
      const chunk = Buffer.alloc(Math.min(BATCH_BYTES, size - at))
      const { bytesRead } = await handle.read(chunk, 0, chunk.length, at)
      const end = chunk.subarray(0, bytesRead).lastIndexOf(10) + 1
      if (end === 0) break // the last line is still being written
      const batch = readBatch(chunk.toString('utf8', 0, end), { node, segment, from: at, to: at + end }, log)
      if (!(await loadClicks(db, batch))) break
      clicks += batch.lines.length
      at += end
    }
  } finally {
    await handle.close()
  }
  if (isClosed && (await stat(file)).size - at < BATCH_BYTES && !(await hasWholeLine(file, at))) {
    await rm(file)
    await forgetSegment(db, node, segment)
  }
  return clicks
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

function readBatch(text: string, place: Pick<ClickBatch, 'node' | 'segment' | 'from' | 'to'>, log: Logger): ClickBatch {
  const lines: string[] = []
  const days = new Set<string>()
  const rollups = new Map<string, ClickBatch['rollups'][number]>()
  const missed = new MissedCounts()
  let spoilt = 0
  for (const line of text.split('\n')) {
    if (line === '' || missed.take(line)) continue
    const found = LINE.exec(line)
    const day = found?.[1]
    const shortLinkId = found?.[2]
    const visit = found?.[3]
    if (day === undefined || shortLinkId === undefined || visit === undefined) {
      spoilt++
      continue
    }
    lines.push(line)
    days.add(day)
    const key = `${shortLinkId} ${day} ${visit}`
    rollups.set(key, { shortLinkId, day, visit, clicks: (rollups.get(key)?.clicks ?? 0) + 1 })
  }
  if (spoilt > 0) log.warn({ segment: place.segment, lines: spoilt }, 'half lines in the click log were passed over')
  return { ...place, lines, days: [...days], rollups: [...rollups.values()], missed: missed.counted }
}
