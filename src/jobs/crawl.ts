import { gunzipSync } from 'node:zlib'
import robotsParser from 'robots-parser'
import { CRAWL_MAX, FILE_MAX_BYTES } from '../contract/imports.ts'
import { type InsideAllowed, normalise, parseUrl } from '../core/address/index.ts'
import { PAGE_MAX_BYTES } from '../core/content/index.ts'
import { readSitemap } from '../core/exchange/index.ts'
import { decodeSource, namedAddresses, sniffEncoding } from '../core/markup/index.ts'
import { fail, ok, type Result } from '../core/result.ts'
import { fetchedBytes, keepFetched, listCrawled, noteAddresses } from '../data/crawled.ts'
import type { Database } from '../data/database.ts'
import { type Answer, askOutside } from '../outside/index.ts'
import { isTold, type Told, tell } from '../words/index.ts'
import { type ArchiveEntry, feedEntries, sizeFault } from './archive.ts'

/** Between two pages of one site; its robots.txt may ask for more. */
const PACE_MS = 250
const PACE_MAX_MS = 10_000
const HOPS_MAX = 5
const SITEMAPS_MAX = 50
const SITEMAP_MAX_BYTES = 50 * 1024 * 1024
const AGENT_NAME = 'MapRope'
/** Pages followed from link to link where there is no sitemap, and pictures and styles fetched along. */
const FOLLOWED_MAX = 1_000
const FILES_MAX = 2_000
/** Noted among the addresses of a crawl that follows links, so that it still does when it goes on. */
const FOLLOWS = 'about:follows-links'
/** What a page needs to look as it does. */
/** A page or a file has this long to be all there. */
const FETCH_MS = 60_000
const RESOURCE = /\.(?:png|jpe?g|gif|webp|avif|svg|ico|css|woff2?|ttf|otf)$/i
/** Linked to rather than shown; such files come in as a zip. */
const OTHER_FILE = /\.(?!html?$|xhtml$|shtml$|php$)[a-z0-9]{2,5}$/i

const pause = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms))

export interface CrawlOrders {
  readonly crawl: string
  readonly address: string
  readonly insideAllowed: InsideAllowed
  /** Told how far it is; throws when it is to stop. */
  readonly progress: (done: number, total: number) => Promise<void>
}

/**
 * Fetches a feed, or a site by its sitemap or, where it has none, by following its links; as a polite guest: one page at a
 * time, at a pace, where its robots.txt lets robots in. Pictures, styles and fonts that its pages name come along. What is
 * fetched is kept at once, so that a stopped crawl goes on from there.
 */
export async function crawl(
  db: Database,
  { crawl: id, address, insideAllowed, progress }: CrawlOrders,
): Promise<Result<readonly ArchiveEntry[], 'nothing-there'>> {
  const start = new URL(address)
  const ask: Asker = (url, max) => askOutside(url, insideAllowed, { maxBytes: max, totalMs: FETCH_MS })
  let listed = await listCrawled(db, id)
  const robots = await robotsOf(start, ask)
  if (listed.length === 0) {
    const found = await findPages(start, ask, robots.sitemaps)
    if (!found.ok) return found
    if ('feed' in found.value) return ok(found.value.feed)
    await noteAddresses(db, id, found.value.pages.slice(0, CRAWL_MAX))
    if (found.value.isStart) await noteAddresses(db, id, [FOLLOWS])
    listed = await listCrawled(db, id)
  }
  const known = new Set(listed.map(({ address: each }) => each))
  const follows = known.has(FOLLOWS)
  const waiting = listed.filter(({ state, address: each }) => state === 'waiting' && each !== FOLLOWS).map(({ address: each }) => each)
  const left = { pages: 0, files: 0 }
  const counts = { pages: 0, files: 0 }
  for (const each of known) counts[RESOURCE.test(each) ? 'files' : 'pages']++
  /** Notes what a page or style sheet names, within the limits. */
  const note = async (named: readonly string[], from: string): Promise<void> => {
    const fresh: string[] = []
    for (const name of named) {
      const url = parseUrl(name, from)
      if (url === null || url.host !== start.host || !/^https?:$/.test(url.protocol)) continue
      const isResource = RESOURCE.test(url.pathname)
      if (!isResource && (!follows || OTHER_FILE.test(url.pathname))) continue
      const wanted = isResource ? url.origin + url.pathname : (normalise(url.href.replace(/#.*$/, '')) ?? url.href)
      if (known.has(wanted)) continue
      if (counts[isResource ? 'files' : 'pages'] >= (isResource ? FILES_MAX : FOLLOWED_MAX)) left[isResource ? 'files' : 'pages']++
      else {
        known.add(wanted)
        counts[isResource ? 'files' : 'pages']++
        fresh.push(wanted)
      }
    }
    if (fresh.length === 0) return
    await noteAddresses(db, id, fresh)
    waiting.push(...fresh)
  }
  let done = listed.length - waiting.length - (follows ? 1 : 0)
  for (let each = waiting.shift(); each !== undefined; each = waiting.shift()) {
    await progress(done, done + waiting.length + 1)
    const url = new URL(each)
    if (!robots.lets(each)) await keepFetched(db, id, each, { reason: tell('crawl.robots') })
    else {
      const found = RESOURCE.test(url.pathname) ? await fetchResource(url, ask) : await fetchPage(url, ask)
      await keepFetched(db, id, each, found)
      if ('bytes' in found) await note(namedIn(found), each)
      await pause(robots.paceMs)
    }
    done++
  }
  await progress(done, done)
  const limits = [
    ...(left.pages > 0 ? [tell('crawl.more-pages', { pages: left.pages, most: FOLLOWED_MAX })] : []),
    ...(left.files > 0 ? [tell('crawl.more-files', { files: left.files, most: FILES_MAX })] : []),
  ].map((reason): ArchiveEntry => ({ name: '(more)', bytes: 0, refused: reason, read: async () => fail('unreadable') }))
  return ok([
    ...limits,
    ...(await listCrawled(db, id))
      .filter((row) => row.address !== FOLLOWS)
      .map(
        ({ address: each, reason, size }): ArchiveEntry => ({
          name: each,
          bytes: size,
          refused: reason ?? sizeFault(RESOURCE.test(new URL(each).pathname) ? 'file' : 'page.html', size),
          path: pathOf(each),
          isFile: RESOURCE.test(new URL(each).pathname),
          read: async () => {
            const bytes = await fetchedBytes(db, id, each)
            return bytes === null ? fail('unreadable', { why: tell('crawl.not-kept') }) : ok(bytes)
          },
        }),
      ),
  ])
}

/** What a page names, or a style sheet: both name what they need to be shown. */
function namedIn({ bytes, mediaType }: { bytes: Buffer; mediaType: string }): readonly string[] {
  if (/html/i.test(mediaType)) return namedAddresses(decodeSource(bytes, sniffEncoding(bytes).encoding))
  if (!/css/i.test(mediaType)) return []
  const named = bytes.toString('utf8').matchAll(/url\(\s*["']?([^"')\s]+)|@import\s+["']([^"']+)/gi)
  return [...named].map((match) => match[1] ?? match[2] ?? '')
}

const pathOf = (address: string): string => {
  const { pathname, search } = new URL(normalise(address) ?? address)
  return search === '' ? pathname : `${pathname.replace(/\/$/, '/index')}-${search.slice(1).replace(/[^A-Za-z0-9]+/g, '-')}`
}

type Asker = (url: URL, max: number) => ReturnType<typeof askOutside>

async function robotsOf(
  start: URL,
  ask: Asker,
): Promise<{ lets: (address: string) => boolean; sitemaps: readonly string[]; paceMs: number }> {
  const at = new URL('/robots.txt', start)
  const asked = await ask(at, 512 * 1024)
  if (!asked.ok || asked.value.status !== 200) return { lets: () => true, sitemaps: [], paceMs: PACE_MS }
  const robots = robotsParser(at.href, asked.value.body.toString('utf8'))
  const delay = robots.getCrawlDelay(AGENT_NAME)
  return {
    lets: (address) => robots.isAllowed(address, AGENT_NAME) !== false,
    sitemaps: robots.getSitemaps(),
    paceMs: Math.min(PACE_MAX_MS, Math.max(PACE_MS, (delay ?? 0) * 1_000)),
  }
}

/** Whether an address is a list's own: it is read, and nothing else is looked for beside it. */
const isList = ({ pathname }: URL): boolean => /\.(?:xml|rss|atom|gz)$/i.test(pathname)

/** Pages of the same host that the sitemaps name; or the entries of a feed. */
async function findPages(
  start: URL,
  ask: Asker,
  known: readonly string[],
): Promise<
  Result<{ readonly pages: readonly string[]; readonly isStart: boolean } | { readonly feed: readonly ArchiveEntry[] }, 'nothing-there'>
> {
  const queue = isList(start) ? [start.href] : [start.href, ...known, new URL('/sitemap.xml', start).href]
  const seen = new Set<string>()
  const pages = new Set<string>()
  let why: Told | null = null
  /** The address asked for, where it is a page: without a sitemap its links are followed. */
  let front: string | null = null
  for (let next = queue.shift(); next !== undefined && seen.size < SITEMAPS_MAX; next = queue.shift()) {
    const url = parseUrl(next)
    if (url === null || seen.has(next)) continue
    seen.add(next)
    const answer = await follow(url, ask, SITEMAP_MAX_BYTES)
    if (isTold(answer)) {
      why ??= answer
      continue
    }
    const bytes = unpacked(answer.body)
    if (bytes === null) {
      why ??= tell('crawl.packed')
      continue
    }
    if (seen.size === 1) {
      const feed = feedEntries(bytes)
      if (feed !== null) return ok({ feed })
    }
    const map = readSitemap(decodeSource(bytes, 'utf-8'))
    if (map === null) {
      if (seen.size === 1 && /text\/html/i.test(answer.type)) front = start.href
      continue
    }
    for (const each of map.sitemaps) queue.push(each)
    for (const page of map.pages) if (parseUrl(page)?.host === start.host) pages.add(normalise(page) ?? page)
  }
  const isStart = pages.size === 0 && start.href === front
  if (isStart) pages.add(start.href)
  if (pages.size > 0) return ok({ pages: [...pages], isStart })
  return fail('nothing-there', {
    why: why ?? tell('crawl.no-sitemap-no-feed'),
  })
}

/** What a site's own sitemaps say its pages are. @param address - of the site, or of a sitemap */
export async function sitemapOf(address: string, insideAllowed: InsideAllowed): Promise<Result<readonly string[], 'nothing-there'>> {
  const start = new URL(address)
  const ask: Asker = (url, max) => askOutside(url, insideAllowed, { maxBytes: max, totalMs: FETCH_MS })
  const found = await findPages(start, ask, isList(start) ? [] : (await robotsOf(start, ask)).sitemaps)
  if (!found.ok) return found
  if ('feed' in found.value || found.value.isStart) return fail('nothing-there', { why: tell('crawl.no-sitemap') })
  return ok(found.value.pages)
}

async function fetchPage(url: URL, ask: Asker): Promise<{ bytes: Buffer; mediaType: string } | { reason: Told }> {
  const answer = await follow(url, ask, PAGE_MAX_BYTES + 1)
  if (isTold(answer)) return { reason: answer }
  if (!/text\/html|application\/xhtml/i.test(answer.type)) return { reason: notAPage(answer.type.split(';')[0] ?? '') }
  return { bytes: answer.body, mediaType: answer.type }
}

const notAPage = (type: string): Told => (type === '' ? tell('crawl.no-type') : tell('crawl.no-page', { type }))

async function fetchResource(url: URL, ask: Asker): Promise<{ bytes: Buffer; mediaType: string } | { reason: Told }> {
  const answer = await follow(url, ask, FILE_MAX_BYTES + 1)
  if (isTold(answer)) return { reason: answer }
  if (/text\/html/i.test(answer.type)) return { reason: tell('crawl.page-for-picture') }
  return { bytes: answer.body, mediaType: answer.type }
}

function unpacked(bytes: Buffer): Buffer | null {
  if (bytes[0] !== 0x1f || bytes[1] !== 0x8b) return bytes
  try {
    return gunzipSync(bytes, { maxOutputLength: SITEMAP_MAX_BYTES })
  } catch {
    return null
  }
}

/** @returns the answer at the end of its redirects within the same host; or why there is none */
async function follow(start: URL, ask: Asker, max: number): Promise<Answer | Told> {
  let url = start
  for (let hop = 0; hop <= HOPS_MAX; hop++) {
    const asked = await ask(url, max)
    if (!asked.ok)
      return asked.fault === 'private-network' || asked.fault === 'this-machine' ? tell('crawl.private') : tell('crawl.no-answer')
    const answer = asked.value
    if (answer.status < 300 || answer.status >= 400 || answer.location === null)
      return answer.status === 200 ? answer : tell('crawl.answers', { status: answer.status })
    const next = parseUrl(answer.location, url.href)
    if (next === null) return tell('crawl.sends-to-nothing')
    if (next.host !== start.host) return tell('crawl.sends-to', { host: next.host })
    url = next
  }
  return tell('crawl.sends-on', { most: HOPS_MAX })
}
