import { Readable } from 'node:stream'
import { StringDecoder } from 'node:string_decoder'
import { setImmediate as breathe } from 'node:timers/promises'
import { promisify } from 'node:util'
import { constants, createGunzip, gunzip } from 'node:zlib'
import type { Logger } from 'pino'
import { apart } from '../apart/index.ts'
import { LOG_LINES_MAX, OLD_ADDRESSES_MAX, type RehearsalReport, type ReplayReport } from '../contract/redirect-trials.ts'
import { type InsideAllowed, parseUrl } from '../core/address/index.ts'
import { pathForName, readPage } from '../core/content/index.ts'
import { readListLayout, recordOf } from '../core/exchange/index.ts'
import { decodeSource, sniffEncoding } from '../core/markup/index.ts'
import {
  type LostAddress,
  matchRedirect,
  noiseOf,
  otherFormatOf,
  PageFinder,
  plainPath,
  Replay,
  readLogLine,
} from '../core/routing/index.ts'
import { foldedWords } from '../core/slugs/index.ts'
import type { Database } from '../data/database.ts'
import { livePageContents } from '../data/redirect-knowledge.ts'
import { insideAllowed } from '../data/sites.ts'
import { getUpload, openUpload, uploadParts } from '../data/uploads.ts'
import type { OwnServices, TriedSite } from '../services/index.ts'
import { type Told, tell } from '../words/index.ts'
import { openArchive } from './archive.ts'
import { type Claimed, carryOut, JobFailure, whyIn } from './carry-out.ts'
import { sitemapOf } from './crawl.ts'
import type { Progress } from './progress.ts'

/** A log that is packed may not unpack to more. */
const UNPACKED_MAX_BYTES = 8 * 1024 * 1024 * 1024
/** A line that is longer is none of a log. */
const LINE_MAX_CHARS = 64 * 1024
/** Lines by which it is told what else a file may be. */
const LOOKED_AT = 20
/** Pages looked at, for progress. */
const PACE = 200
const SUGGESTED = 4
/** Words of a page's text by which it is found. */
const WORDS = 30

/** Runs an access log through a site's table. Takes the same memory however long it is. */
export async function runReplay(db: Database, trials: OwnServices['redirectTrials'], jobId: string, log: Logger): Promise<void> {
  const work = async ({ input: { upload, rows, host }, siteId }: Claimed<'replay'>, progress: Progress): Promise<ReplayReport> => {
    const given = rows === null ? null : ((await getUpload(db, rows))?.toString('utf8') ?? null)
    const site = await trials.siteOf(siteId, { rows: given, host })
    const replay = new Replay({ ...site, origin: site.view.origin })
    const total = await bytesOf(db, upload)
    let lines = 0
    let looks: Told | null = null
    for await (const { line, at } of linesOf(db, upload, { keepsEmpty: true })) {
      if (line === null) {
        await progress(at, total)
        await breathe()
        continue
      }
      replay.line(line)
      if (lines < LOOKED_AT) looks ??= otherFormatOf(line)
      lines++
      if (lines >= LOG_LINES_MAX) break
      if (lines % 20_000 !== 0) continue
      await progress(at, total)
      await breathe()
    }
    const tally = replay.tally()
    if (tally.lines > 0 && tally.broken === tally.lines)
      throw new JobFailure(looks === null ? tell('trial.no-log') : tell('trial.looks-like', { looks }))
    const report: ReplayReport = {
      ...tally,
      tried: site.tried,
      examples: { missed: [...tally.examples.missed], changed: [...tally.examples.changed] },
    }
    return report
  }
  await carryOut({ db, log }, 'replay', jobId, { work })
}

async function bytesOf(db: Database, upload: string): Promise<number> {
  let bytes = 0
  for await (const part of uploadParts(db, upload)) bytes += part.length
  if (bytes === 0) throw new JobFailure(tell('trial.file-gone'))
  return bytes
}

/** Stretches of an unpacked upload after which whoever reads its lines is told, whatever is in them. */
const TOLD_BYTES = 16 * 1024 * 1024

/** Lines of an upload, unpacked if it is packed; null now and then, be there lines or not. @returns each with how many bytes of the upload have been read */
async function* linesOf(
  db: Database,
  upload: string,
  { encoding = 'latin1', keepsEmpty = false }: { readonly encoding?: 'latin1' | 'utf8'; readonly keepsEmpty?: boolean } = {},
): AsyncGenerator<{ line: string | null; at: number }> {
  let at = 0
  let isPacked: boolean | null = null
  async function* parts(): AsyncGenerator<Buffer> {
    for await (const part of uploadParts(db, upload)) {
      isPacked ??= part[0] === 0x1f && part[1] === 0x8b
      for (let i = 0; i < part.length; i += 256 * 1024) {
        const piece = part.subarray(i, i + 256 * 1024)
        at += piece.length
        yield piece
      }
    }
  }
  const source = parts()
  const first = await source.next()
  if (first.done === true) return
  const all = Readable.from(
    (async function* () {
      yield first.value
      yield* source
    })(),
    { objectMode: false },
  )
  const text: AsyncIterable<Buffer> = isPacked === true ? all.pipe(createGunzip()) : all
  const letters = new StringDecoder(encoding)
  let rest = ''
  let unpacked = 0
  try {
    for await (const chunk of text) {
      if (Math.floor(unpacked / TOLD_BYTES) < Math.floor((unpacked + chunk.length) / TOLD_BYTES)) yield { line: null, at }
      unpacked += chunk.length
      if (unpacked > UNPACKED_MAX_BYTES) throw new JobFailure(tell('trial.log-too-large'))
      const lines = (rest + letters.write(chunk)).split('\n')
      rest = lines.pop() ?? ''
      // What has no end is counted as one line that is none.
      if (rest.length > LINE_MAX_CHARS) rest = rest.slice(0, LINE_MAX_CHARS)
      for (const line of lines) if (keepsEmpty || line !== '') yield { line: line.endsWith('\r') ? line.slice(0, -1) : line, at }
    }
    if (rest !== '') yield { line: rest, at }
  } catch (error) {
    if (error instanceof JobFailure) throw error
    throw new JobFailure(tell('trial.damaged'))
  }
}

interface OldAddress extends LostAddress {
  readonly visits: number
}

/** Proposes a page for each address of an old site. */
export async function runRehearsal(db: Database, trials: OwnServices['redirectTrials'], jobId: string, log: Logger): Promise<void> {
  const work = async ({ input: given, siteId }: Claimed<'rehearsal'>, progress: Progress): Promise<RehearsalReport> => {
    const site = await trials.siteOf(siteId, { rows: null, host: null })
    const allowed = await insideAllowed(db, siteId)
    const { kind, old, queries, unread } =
      'address' in given ? await listedAt(given.address, allowed) : await oldAddresses(db, { ...given, allowed }, progress)
    if (old.size === 0) throw new JobFailure(tell('trial.no-address'))
    const hasWords = kind === 'site'
    const words = hasWords ? await wordsOfPages(db, siteId, progress) : new Map<string, readonly string[]>()
    const finder = new PageFinder(site.pages.map((page) => ({ ...page, words: words.get(page.path) ?? [] })))
    const report: RehearsalReport = {
      trial: 'rehearsal',
      kind,
      old: old.size,
      answered: 0,
      queries,
      unread,
      items: [],
      left: Math.max(0, old.size - OLD_ADDRESSES_MAX),
    }
    const nowMs = Date.now()
    let done = 0
    for (const each of [...old.values()].sort((a, b) => b.visits - a.visits).slice(0, OLD_ADDRESSES_MAX)) {
      const way = wayOf(site, each.path, nowMs)
      if (way === 'lands') report.answered++
      else
        report.items.push({
          from: each.path,
          visits: each.visits,
          title: each.title ?? '',
          isLedAstray: way === 'astray',
          suggestions: [...finder.suggest(each, SUGGESTED)],
        })
      if (++done % PACE !== 0) continue
      await progress(done, Math.min(old.size, OLD_ADDRESSES_MAX))
      await breathe()
    }
    return report
  }
  await carryOut({ db, log }, 'rehearsal', jobId, { work })
}

/** Steps that a way is followed for, as browsers follow them (Fetch, "HTTP-redirect fetch"). */
const STEPS_MAX = 20

/** Whether somebody who asks for a path lands: on a page, out of the site, or where it is said that it is gone. "astray": a row leads to nothing. */
function wayOf({ live, host, view, hasPage }: TriedSite, path: string, nowMs: number): 'lands' | 'astray' | 'none' {
  const own = new Set(view.setup.hosts.filter(({ kind }) => kind === 'site').map(({ host }) => host))
  let url = parseUrl(view.origin + path)
  for (let step = 0; url !== null && step < STEPS_MAX; step++) {
    const plain = plainPath(url.pathname)
    const asked = { host, origin: view.origin, isByNameOnly: false, path: plain, query: url.search.slice(1), language: null, nowMs }
    const found = matchRedirect({ ...asked, device: 'computer' }, live, () => hasPage(plain))
    if (found === null) return hasPage(plain) ? 'lands' : step === 0 ? 'none' : 'astray'
    if (found.location === null) return 'lands'
    url = parseUrl(found.location)
    if (url !== null && !own.has(url.hostname)) return 'lands'
  }
  return 'astray'
}

interface OldAddresses {
  readonly kind: RehearsalReport['kind']
  /** By path. */
  readonly old: Map<string, OldAddress>
  readonly queries: number
  readonly unread: number
}

/** Gathers old addresses, and counts what of them is left out. */
function collector() {
  const old = new Map<string, OldAddress>()
  let [queries, unread] = [0, 0]
  return {
    old,
    found: (kind: RehearsalReport['kind']): OldAddresses => ({ kind, old, queries, unread }),
    skip: (): void => void unread++,
    add(address: string, more: Partial<OldAddress> = {}): void {
      const url = parseUrl(address.trim(), 'http://old.invalid/')
      if (url === null || !/^https?:$/.test(url.protocol)) return void unread++
      if (url.search !== '') queries++
      const path = plainPath(url.pathname)
      old.set(path, { path, visits: (old.get(path)?.visits ?? 0) + 1, ...more })
    },
  }
}

/** Old addresses as the site that is still there lists them. */
async function listedAt(address: string, allowed: InsideAllowed): Promise<OldAddresses> {
  const listed = await sitemapOf(address, allowed)
  if (!listed.ok) throw new JobFailure(whyIn(listed.detail))
  const { add, found } = collector()
  for (const each of listed.value) add(each, { visits: 0 })
  return found('sitemap')
}

/** Old addresses of whatever was sent: a zip of the old site, a sitemap, a log, or a list. */
async function oldAddresses(
  db: Database,
  { upload, name, allowed }: { upload: string; name: string; allowed: InsideAllowed },
  progress: Progress,
): Promise<OldAddresses> {
  const { old, add, skip, found } = collector()
  const head: Buffer[] = []
  for await (const part of uploadParts(db, upload)) {
    head.push(part)
    break
  }
  const start = head[0] ?? Buffer.alloc(0)
  if (start[0] === 0x50 && start[1] === 0x4b) {
    const kept = await openUpload(db, upload)
    if (kept === null) return found('site')
    const archive = await openArchive(name.endsWith('.zip') ? name : `${name}.zip`, kept)
    if (!archive.ok) throw new JobFailure(whyIn(archive.detail))
    for (const entry of archive.value) {
      if (entry.refused !== null || !/\.x?html?$/i.test(entry.name)) continue
      const read = await entry.read()
      if (!read.ok) continue
      const path = pathForName(entry.name)
      const { title, text } = readPage(read.value, undefined, path)
      add(path, { title: title ?? '', words: wordsOfText(text), visits: 0 })
      if (old.size > OLD_ADDRESSES_MAX) break
    }
    return found('site')
  }
  const isPacked = start[0] === 0x1f && start[1] === 0x8b
  const beginning = isPacked ? await beginningOf(start) : start
  const text = decodeSource(beginning, sniffEncoding(beginning).encoding)
  const sitemap = /^\s*<\?xml|^\s*<urlset|^\s*<sitemapindex/.test(text.slice(0, 1_000)) ? await sitemapIn(db, upload) : null
  if (sitemap !== null) {
    for (const address of sitemap.pages) add(address, { visits: 0 })
    for (const each of sitemap.sitemaps.slice(0, SITEMAPS_MAX)) {
      if (old.size > OLD_ADDRESSES_MAX) break
      await progress(0, OLD_ADDRESSES_MAX)
      const listed = await sitemapOf(each, allowed)
      if (!listed.ok) throw new JobFailure(tell('trial.part-unread', { address: each, why: whyIn(listed.detail) }))
      for (const address of listed.value) add(address, { visits: 0 })
    }
    return found('sitemap')
  }
  const isLog = readLogLine(text.split('\n').find((line) => line.trim() !== '') ?? '') !== null
  const layout = readListLayout(text.slice(0, 100_000))
  let isFirst = true
  for await (const { line } of linesOf(db, upload, { encoding: isLog ? 'latin1' : 'utf8' })) {
    if (old.size > OLD_ADDRESSES_MAX * 2) break
    if (line === null) {
      await progress(0, OLD_ADDRESSES_MAX)
      await breathe()
      continue
    }
    if (line.trim() === '') continue
    if (isLog) {
      const read = readLogLine(line)
      const path = read?.target.split('?', 1)[0] ?? ''
      if (read === null) skip()
      else if ((read.method === 'GET' || read.method === 'HEAD') && noiseOf(path) === null) add(read.target)
    } else if (!(isFirst && layout.hasHeader)) {
      const cells = line.split(layout.delimiter)
      const from = recordOf(layout, cells).from || cells[0] || ''
      if (from.trim() !== '') add(/^(?:[a-z][a-z\d+.-]*:(?!\d)|\/)/i.test(from.trim()) ? from : `/${from.trim()}`, { visits: 0 })
    }
    isFirst = false
  }
  return found(isLog ? 'log' : 'list')
}

/** A sitemap can have so much, and takes a thread of its own no longer than this (sitemaps.org: 50 MB). */
const SITEMAP_MAX_BYTES = 50 * 1024 * 1024
const SITEMAP_MS = 60_000
/** Sitemaps that one may name. */
const SITEMAPS_MAX = 50
/** So much of a packed file is unpacked to see what it is. */
const SNIFFED_BYTES = 4 * 1024

/** The beginning of what is packed; empty where it cannot be unpacked. */
const beginningOf = (packed: Buffer): Promise<Buffer> =>
  promisify(gunzip)(packed.subarray(0, SNIFFED_BYTES), { finishFlush: constants.Z_SYNC_FLUSH }).catch(() => Buffer.alloc(0))

async function sitemapIn(
  db: Database,
  upload: string,
): Promise<{ readonly pages: readonly string[]; readonly sitemaps: readonly string[] } | null> {
  if ((await bytesOf(db, upload)) > SITEMAP_MAX_BYTES) throw new JobFailure(tell('trial.sitemap-too-large'))
  const sent = await getUpload(db, upload)
  const bytes =
    sent?.[0] !== 0x1f
      ? sent
      : await promisify(gunzip)(sent, { maxOutputLength: SITEMAP_MAX_BYTES }).catch(() => {
          throw new JobFailure(tell('trial.sitemap-damaged'))
        })
  const read = bytes === null ? null : await apart('sitemap', bytes, { deadlineMs: SITEMAP_MS })
  if (read?.ok === false) throw new JobFailure(tell('trial.sitemap-slow'))
  return read?.value ?? null
}

/** What a text is about: its words, those that come most first. */
function wordsOfText(html: string): string[] {
  const text = withoutCode(html).replace(/<[^<>]*>/g, ' ')
  const often = new Map<string, number>()
  for (const word of foldedWords(text)) if (word.length > 3) often.set(word, (often.get(word) ?? 0) + 1)
  return [...often]
    .sort((a, b) => b[1] - a[1])
    .slice(0, WORDS)
    .map(([word]) => word)
}

/** A page without its scripts and styles, in one pass. */
function withoutCode(html: string): string {
  const lower = html.toLowerCase()
  let out = ''
  let from = 0
  for (const { index, 1: name = '' } of html.matchAll(/<(script|style)\b/gi)) {
    if (index < from) continue
    out += html.slice(from, index)
    const end = lower.indexOf(`</${name.toLowerCase()}`, index)
    if (end === -1) return out
    from = end
  }
  return out + html.slice(from)
}

async function wordsOfPages(db: Database, siteId: string, progress: Progress): Promise<Map<string, readonly string[]>> {
  const words = new Map<string, readonly string[]>()
  for await (const page of livePageContents(db, siteId)) {
    words.set(page.path, wordsOfText(decodeSource(page.bytes, page.encoding)))
    if (words.size % PACE === 0) await progress(words.size, 0)
  }
  return words
}
