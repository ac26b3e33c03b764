import { appendFile, open, readdir, rm, stat } from 'node:fs/promises'
import path from 'node:path'
import type { Logger } from 'pino'
import { Changes } from '../data/changes.ts'
import { type ClickBatch, forgetSegment, loadClicks, loadedBytes } from '../data/clicks.ts'
import { type Database, inTransaction } from '../data/database.ts'
import { noteSetAside } from '../data/set-aside.ts'
import { fillShortLinks, limitedShortLinks } from '../data/short-link-watch.ts'
import { batchOf } from './click-batch.ts'

/** Most of a segment that goes into one transaction. */
const BATCH_BYTES = 16 * 1024 * 1024

/**
 * Moves the click logs of this machine into PostgreSQL, every stretch once.
 * @returns how many clicks were loaded
 */
export async function loadClickLogs(db: Database, folder: string, log: Logger): Promise<number> {
  let clicks = 0
  for (const node of await nodesIn(folder)) {
    const segments = (await readdir(path.join(folder, node))).filter((name) => name.endsWith('.log')).sort()
    for (const segment of segments)
      clicks += await loadSegment(db, { file: path.join(folder, node, segment), node, segment, isClosed: isClosed(segment, segments) }, log)
  }
  return clicks
}

/** Each process of delivery that logs here has a folder; what else somebody put there is not looked at. */
const nodesIn = async (folder: string): Promise<string[]> =>
  (await readdir(folder, { withFileTypes: true }).catch(() => [])).filter((each) => each.isDirectory()).map(({ name }) => name)

/** Bytes of click logs that lie on this machine: what was loaded goes when its segment is closed. */
export async function clickLogBytes(folder: string): Promise<number> {
  let bytes = 0
  for (const node of await nodesIn(folder))
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
  const load = async (stretch: Buffer, given: ClickBatch): Promise<ClickBatch | null> => {
    const batch = await loadOrSetAside(stretch, given, { db, node, segment, log, aside: path.join(path.dirname(file), SET_ASIDE) })
    if (batch === null) return null
    await endFull(db, batch)
    return batch
  }
  /** @returns false when somebody else has loaded from there */
  const isLoaded = async (): Promise<boolean> => {
    const batch = await loading
    loading = null
    if (batch === null) return false
    clicks += batch.clicks
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
      loading = load(chunk.subarray(0, end), batch)
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

/** Beside the segments of a machine: lines that the database does not take. */
export const SET_ASIDE = 'set-aside.txt'
/** Kept of them; more are counted. */
const SET_ASIDE_MAX_BYTES = 10 * 1024 * 1024

/**
 * Loads a stretch. One that the database does not take is halved, and halved again, down to the line that it is about, which is set
 * aside: nothing that came from outside may stop the count.
 * @returns what was loaded of it; null when somebody else has loaded from there
 */
async function loadOrSetAside(
  stretch: Buffer,
  batch: ClickBatch,
  at: { readonly db: Database; readonly node: string; readonly segment: string; readonly log: Logger; readonly aside: string },
): Promise<ClickBatch | null> {
  const { db, node, segment } = at
  try {
    return (await loadClicks(db, batch)) ? batch : null
  } catch (error) {
    if (!isAboutData(error)) throw error
    const { from, to } = batch
    const half = stretch.lastIndexOf(10, Math.floor((stretch.length - 1) / 2)) + 1 || stretch.indexOf(10) + 1
    if (half === stretch.length) {
      // A day whose clicks were given up has its place again by now.
      if (await loadClicks(db, batch).catch(() => false)) return batch
      const nothing = (await batchOf('', { node, segment, from, to })).batch
      // Where even nothing is not taken, it is not the line.
      if (!(await loadClicks(db, nothing))) return null
      await setAside(stretch, at)
      return nothing
    }
    let clicks = 0
    let rollups: ClickBatch['rollups'] = []
    for (const [begin, end] of [
      [0, half],
      [half, stretch.length],
    ] as const) {
      const part = stretch.subarray(begin, end)
      const read = await batchOf(part.toString('utf8'), { node, segment, from: from + begin, to: from + end })
      const loaded = await loadOrSetAside(part, read.batch, at)
      if (loaded === null) return null
      clicks += loaded.clicks
      rollups = [...rollups, ...loaded.rollups]
    }
    return { ...batch, clicks, rollups }
  }
}

/** What the database says of a value, and not of itself: SQLSTATE classes 21, 22, 23 (PostgreSQL, "Error Codes"). */
const isAboutData = (error: unknown): boolean =>
  error instanceof Error && 'code' in error && typeof error.code === 'string' && /^2[123]/.test(error.code)

async function setAside(line: Buffer, { db, node, log, aside }: { db: Database; node: string; log: Logger; aside: string }): Promise<void> {
  const size = await stat(aside).then(
    ({ size }) => size,
    () => 0,
  )
  if (size + line.length <= SET_ASIDE_MAX_BYTES) await appendFile(aside, line)
  await noteSetAside(db, node, 1)
  log.warn({ node }, 'a line of the click log cannot be stored; it is set aside')
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
