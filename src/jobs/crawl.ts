import { gunzipSync } from 'node:zlib'
import robotsParser from 'robots-parser'
import { CRAWL_MAX, PAGE_MAX_BYTES } from '../contract/imports.ts'
import { normalise, parseUrl } from '../core/address/index.ts'
import { readSitemap } from '../core/exchange/index.ts'
import { decodeSource } from '../core/markup/index.ts'
import { fail, ok, type Result } from '../core/result.ts'
import { fetchedBytes, keepFetched, listCrawled, noteAddresses } from '../data/crawled.ts'
import type { Database } from '../data/database.ts'
import { type Answer, askOutside } from '../services/visits.ts'
import { type ArchiveEntry, feedEntries, sizeFault } from './archive.ts'

/** Between two pages of one site; its robots.txt may ask for more. */
const PACE_MS = 250
const PACE_MAX_MS = 10_000
const HOPS_MAX = 5
const SITEMAPS_MAX = 50
const SITEMAP_MAX_BYTES = 50 * 1024 * 1024
const AGENT_NAME = 'MapRope'

const pause = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms))

export interface CrawlOrders {
  readonly crawl: string
  readonly address: string
  readonly mayVisitPrivate: boolean
  /** Told how far it is; throws when it is to stop. */
  readonly progress: (done: number, total: number) => Promise<void>
}

/**
 * Fetches a feed, or a site by its sitemap, as a polite guest: one page at a time, at a pace, where its robots.txt lets
 * robots in. What is fetched is kept at once, so that a stopped crawl goes on from there.
 */
export async function crawl(
  db: Database,
  { crawl: id, address, mayVisitPrivate, progress }: CrawlOrders,
): Promise<Result<readonly ArchiveEntry[], 'nothing-there'>> {
  const start = new URL(address)
  const ask = (url: URL, max: number): Promise<Answer> => askOutside(url, mayVisitPrivate, max)
  let listed = await listCrawled(db, id)
  const robots = await robotsOf(start, ask)
  if (listed.length === 0) {
    const found = await findPages(start, ask, robots.sitemaps)
    if (!found.ok) return found
    if ('feed' in found.value) return ok(found.value.feed)
    await noteAddresses(db, id, found.value.pages.slice(0, CRAWL_MAX))
    listed = await listCrawled(db, id)
  }
  let done = listed.filter(({ state }) => state !== 'waiting').length
  for (const { address: each, state } of listed) {
    if (state !== 'waiting') continue
    await progress(done, listed.length)
    const url = new URL(each)
    if (!robots.lets(each)) await keepFetched(db, id, each, { reason: 'Its robots.txt asks robots to stay away from it.' })
    else {
      await keepFetched(db, id, each, await fetchPage(url, ask))
      await pause(robots.paceMs)
    }
    done++
  }
  await progress(done, listed.length)
  return ok(
    (await listCrawled(db, id)).map(
      ({ address: each, reason, size }): ArchiveEntry => ({
        name: each,
        bytes: size,
        refused: reason ?? sizeFault('page.html', size),
        path: pathOf(each),
        read: async () => {
          const bytes = await fetchedBytes(db, id, each)
          return bytes === null ? fail('unreadable', { why: 'It was not kept.' }) : ok(bytes)
        },
      }),
    ),
  )
}

const pathOf = (address: string): string => {
  const { pathname, search } = new URL(normalise(address) ?? address)
  return search === '' ? pathname : `${pathname.replace(/\/$/, '/index')}-${search.slice(1).replace(/[^A-Za-z0-9]+/g, '-')}`
}

type Asker = (url: URL, max: number) => Promise<Answer>

async function robotsOf(
  start: URL,
  ask: Asker,
): Promise<{ lets: (address: string) => boolean; sitemaps: readonly string[]; paceMs: number }> {
  const at = new URL('/robots.txt', start)
  try {
    const { status, body } = await ask(at, 512 * 1024)
    if (status !== 200) return { lets: () => true, sitemaps: [], paceMs: PACE_MS }
    const robots = robotsParser(at.href, body.toString('utf8'))
    const delay = robots.getCrawlDelay(AGENT_NAME)
    return {
      lets: (address) => robots.isAllowed(address, AGENT_NAME) !== false,
      sitemaps: robots.getSitemaps(),
      paceMs: Math.min(PACE_MAX_MS, Math.max(PACE_MS, (delay ?? 0) * 1_000)),
    }
  } catch {
    return { lets: () => true, sitemaps: [], paceMs: PACE_MS }
  }
}

/** Pages of the same host that the sitemaps name; or the entries of a feed. */
async function findPages(
  start: URL,
  ask: Asker,
  known: readonly string[],
): Promise<Result<{ readonly pages: readonly string[] } | { readonly feed: readonly ArchiveEntry[] }, 'nothing-there'>> {
  const queue = /\.(?:xml|rss|atom|gz)$/i.test(start.pathname) ? [start.href] : [start.href, ...known, new URL('/sitemap.xml', start).href]
  const seen = new Set<string>()
  const pages = new Set<string>()
  let why = ''
  for (let next = queue.shift(); next !== undefined && seen.size < SITEMAPS_MAX; next = queue.shift()) {
    const url = parseUrl(next)
    if (url === null || seen.has(next)) continue
    seen.add(next)
    const answer = await follow(url, ask, SITEMAP_MAX_BYTES)
    if (typeof answer === 'string') {
      why ||= answer
      continue
    }
    const bytes =
      answer.body[0] === 0x1f && answer.body[1] === 0x8b ? gunzipSync(answer.body, { maxOutputLength: SITEMAP_MAX_BYTES }) : answer.body
    if (seen.size === 1) {
      const feed = feedEntries(bytes)
      if (feed !== null) return ok({ feed })
    }
    const map = readSitemap(decodeSource(bytes, 'utf-8'))
    if (map === null) {
      if (seen.size === 1 && /text\/html/i.test(answer.type)) pages.add(next)
      continue
    }
    queue.push(...map.sitemaps)
    for (const page of map.pages) if (parseUrl(page)?.host === start.host) pages.add(normalise(page) ?? page)
  }
  if (pages.size > 0) return ok({ pages: [...pages] })
  return fail('nothing-there', {
    why: why === '' ? 'There is no sitemap and no feed at this address. Bring the site in as a zip instead.' : why,
  })
}

async function fetchPage(url: URL, ask: Asker): Promise<{ bytes: Buffer; mediaType: string } | { reason: string }> {
  const answer = await follow(url, ask, PAGE_MAX_BYTES + 1)
  if (typeof answer === 'string') return { reason: answer }
  if (!/text\/html|application\/xhtml/i.test(answer.type))
    return { reason: `It is no page but ${answer.type.split(';')[0] || 'something without a type'}.` }
  return { bytes: answer.body, mediaType: answer.type }
}

/** @returns the answer at the end of its redirects within the same host; or in plain words why there is none */
async function follow(start: URL, ask: Asker, max: number): Promise<Answer | string> {
  let url = start
  for (let hop = 0; hop <= HOPS_MAX; hop++) {
    let answer: Answer
    try {
      answer = await ask(url, max)
    } catch (error) {
      return error instanceof Error && /private network|this machine/.test(error.message)
        ? 'It lies in a private network, which an owner has to allow.'
        : 'The site does not answer.'
    }
    if (answer.status < 300 || answer.status >= 400 || answer.location === null)
      return answer.status === 200 ? answer : `The site answers ${answer.status}.`
    const next = parseUrl(answer.location, url.href)
    if (next === null) return 'It sends on to something that is no address.'
    if (next.host !== start.host) return `It sends on to ${next.host}.`
    url = next
  }
  return `It sends on more than ${HOPS_MAX} times.`
}
