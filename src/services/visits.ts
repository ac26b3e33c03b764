import http from 'node:http'
import https from 'node:https'
import type { Hop, Visit } from '../contract/visits.ts'
import { type InsideAllowed, isOutOfBounds, parseUrl, pathSpellings, repair, siteOfHost } from '../core/address/index.ts'
import { decodeSource, pageTitle, sniffEncoding } from '../core/markup/index.ts'
import { fail, ok, type Result } from '../core/result.ts'
import type { CompiledShortLink } from '../core/routing/index.ts'
import type { SiteGround } from '../core/rules/index.ts'
import { OutOfBounds, resolver } from '../data/network.ts'
import { ownPaths } from '../data/paths.ts'
import { insideAllowed } from '../data/sites.ts'
import type { Actor, Context, SiteViews } from './context.ts'
import type { redirectBench } from './redirect-bench.ts'
import { shortLinkAt } from './short-link-parts.ts'

/** Browsers stop at 20 (Fetch, "HTTP-redirect fetch"); a link that needs more than this has lost its readers. */
const HOPS_MAX = 10
const HOP_TIMEOUT_MS = 8_000
/** Enough of a page for its title. */
const READ_MAX_BYTES = 256 * 1024
const AGENT = 'Mozilla/5.0 (compatible; MapRope/1; link check)'

/** What one address answered. */
export interface Answer {
  readonly status: number
  readonly location: string | null
  readonly type: string
  readonly body: Buffer
}

/** An answer has this long to be all there, unless somebody allows more. */
const ANSWER_MS = 15_000
/** A destination with all its hops has this long. */
const VISIT_MS = 30_000
/** Within each stretch of this length this much of an answer must come: a site that drips holds nobody for long. */
const STRETCH_MS = 5_000
const STRETCH_BYTES = 1_024

/**
 * Asks one address, follows nothing.
 * @param totalMs - until the answer is all there, however it comes
 * @throws Error when nothing answers in time, or the address is out of bounds
 */
export function askOutside(url: URL, insideAllowed: InsideAllowed, maxBytes = READ_MAX_BYTES, totalMs = ANSWER_MS): Promise<Answer> {
  if (isOutOfBounds(url.hostname, insideAllowed)) return Promise.reject(new OutOfBounds('a private network'))
  return new Promise((resolved, rejected) => {
    const total = setTimeout(() => request.destroy(new Error('it did not answer in time')), totalMs)
    let size = 0
    let before = 0
    const stretch = setInterval(() => {
      if (size > 0 && size - before < STRETCH_BYTES) request.destroy(new Error('it answers too slowly'))
      before = size
    }, STRETCH_MS)
    const over = (): void => {
      clearTimeout(total)
      clearInterval(stretch)
    }
    const resolve = (answer: Answer): void => {
      over()
      resolved(answer)
    }
    const reject = (error: unknown): void => {
      over()
      rejected(error)
    }
    const request = (url.protocol === 'https:' ? https : http).request(
      url,
      {
        lookup: resolver(insideAllowed),
        agent: false, // a connection kept from an allowed visit would not be looked up again
        timeout: HOP_TIMEOUT_MS,
        headers: { 'User-Agent': AGENT, Accept: 'text/html,*/*;q=0.8', 'Accept-Encoding': 'identity' },
      },
      (response) => {
        const chunks: Buffer[] = []
        const done = (): void =>
          resolve({
            status: response.statusCode ?? 0,
            location: response.headers.location ?? null,
            type: response.headers['content-type'] ?? '',
            body: Buffer.concat(chunks),
          })
        response.on('data', (chunk: Buffer) => {
          chunks.push(chunk)
          size += chunk.length
          if (size >= maxBytes) {
            done()
            response.destroy()
          }
        })
        response.on('end', done)
        response.on('error', reject)
        response.on('close', () => reject(new Error('it broke off'))) // nothing, where it is told already
      },
    )
    request.on('timeout', () => request.destroy(new Error('it did not answer in time')))
    request.on('error', reject)
    request.end()
  })
}

export function visitsService({ db }: Context, views: SiteViews, bench: ReturnType<typeof redirectBench>) {
  return {
    /**
     * Follows a destination to where it lands, stop by stop. The site's own short links and pages are looked up, not
     * called: nothing is counted. Private networks are out of bounds unless the owner allows them.
     */
    async visit(actor: Actor, typed: string): Promise<Result<Visit, 'forbidden' | 'address-unreadable'>> {
      if (!actor.can('addresses:read')) return fail('forbidden')
      const view = await views.of(actor)
      const mended = repair(typed, view.around('/'))
      const start = mended.ok ? parseUrl(mended.value.address, `${view.origin}/`) : null
      if (start === null || !/^https?:$/.test(start.protocol)) return fail('address-unreadable', { typed })
      const places: OwnPlaces = {
        hasPath: (path) => hasPath(actor.siteId, path),
        shortLinkAt: (url) => shortLinkAt(db, view, url),
        redirectAt: async (url) => {
          const asked = await bench(actor, { address: url.href })
          const [first, second] = asked.ok ? asked.value.rope : []
          return first === undefined || first.by === 'nothing' ? null : { status: first.status ?? 404, location: second?.address ?? null }
        },
      }
      return ok(await follow(start, view, await insideAllowed(db, actor.siteId), places))
    },
  }

  async function hasPath(siteId: string, path: string): Promise<boolean> {
    const paths = await ownPaths(db, siteId)
    return pathSpellings(path).some((each) => paths.has(each))
  }
}

/** What the site itself answers. */
interface OwnPlaces {
  hasPath(path: string): Promise<boolean>
  shortLinkAt(url: URL): Promise<CompiledShortLink | null>
  /** What a row answers, or the page that an address differs from by capitals alone. */
  redirectAt(url: URL): Promise<{ readonly status: number; readonly location: string | null } | null>
}

async function follow(start: URL, view: SiteGround, insideAllowed: InsideAllowed, own: OwnPlaces): Promise<Visit> {
  const hops: Hop[] = []
  const hosts = new Map(view.setup.hosts.map(({ host, kind }) => [host, kind]))
  const { partnerSites } = view.around('/')
  let url = start
  let before: URL | null = null
  const begunAt = performance.now()
  for (;;) {
    const startedAt = performance.now()
    const { added, dropped } = parameters(before, url)
    const lost = before === null ? [] : numbersLost(before.href, url.href, view)
    const stop = (kind: Hop['kind'], status: number | null, why: string | null = null): void =>
      void hops.push({ address: url.href, status, ms: Math.round(performance.now() - startedAt), kind, added, dropped, lost, why })
    let next: string | null = null
    let status = 0
    let title: string | null = null
    const kind = hosts.get(url.hostname)
    if (kind === 'short') {
      const match = await own.shortLinkAt(url)
      status = match?.status ?? 404
      next = match?.location ?? null
      if (match === null) stop('fails', 404, 'there is no short link of this name')
      else stop('short link', status)
    } else if (kind === 'site') {
      const isThere = await own.hasPath(url.pathname)
      const row = isThere ? null : await own.redirectAt(url)
      next = row?.location ?? null
      status = isThere ? 200 : (row?.status ?? 404)
      if (next !== null) stop('hop', status)
      else stop(isThere ? 'lands' : 'fails', status, isThere ? null : row === null ? 'there is no such page' : 'it is told to be gone')
    } else {
      try {
        const leftMs = Math.max(1, VISIT_MS - (performance.now() - begunAt))
        const answer = await askOutside(url, insideAllowed, READ_MAX_BYTES, Math.min(ANSWER_MS, leftMs))
        status = answer.status
        next = status >= 300 && status < 400 ? answer.location : null
        title = /html/i.test(answer.type) ? pageTitle(decodeSource(answer.body, sniffEncoding(answer.body).encoding)) : null
        if (next !== null) stop(partnerSites.has(siteOfHost(url.hostname)) ? 'partner' : 'hop', status)
        else
          stop(
            status >= 200 && status < 400 ? 'lands' : 'fails',
            status,
            status >= 400 ? 'the site answers that there is nothing here' : null,
          )
      } catch (error) {
        stop('fails', null, error instanceof OutOfBounds ? `it leads into ${error.message}, which is out of bounds` : whyAway(error))
      }
    }
    const last = hops[hops.length - 1]
    if (next === null) return { hops, lands: last?.kind === 'lands', title }
    before = url
    const target = parseUrl(next, url.href)
    const isLoop = target !== null && hops.some(({ address }) => address === target.href)
    if (target === null || isLoop || hops.length >= HOPS_MAX || !/^https?:$/.test(target.protocol)) {
      const why =
        target === null || !/^https?:$/.test(target.protocol)
          ? 'it is sent on to something that is no address'
          : isLoop
            ? 'it is sent round in a circle'
            : 'it is sent on too many times'
      hops.push({ address: next, status: null, ms: 0, kind: 'fails', added: [], dropped: [], lost: [], why })
      return { hops, lands: false, title: null }
    }
    url = target
  }
}

function whyAway(error: unknown): string {
  const code = error instanceof Error && 'code' in error ? String(error.code) : ''
  if (/ENOTFOUND|EAI_AGAIN/.test(code)) return 'no site goes by this name'
  if (/ECONNREFUSED|EHOSTUNREACH|ENETUNREACH/.test(code)) return 'nobody answers there'
  if (code === 'ECONNRESET') return 'it breaks off before it has answered'
  if (/CERT|TLS|SSL/i.test(code)) return 'its certificate cannot be trusted'
  return error instanceof Error && error.message.includes('in time') ? error.message : 'it could not be reached'
}

/** Partners whose number an address carries and the next does not. */
function numbersLost(before: string, after: string, { setup }: SiteGround): string[] {
  const carries = (address: string, account: string): boolean => address.includes(account) || address.includes(encodeURIComponent(account))
  return setup.partners
    .filter(({ account }) => account.length >= ACCOUNT_MIN_CHARS && carries(before, account) && !carries(after, account))
    .map(({ name }) => name)
}
/** A shorter number could stand in an address by chance. */
const ACCOUNT_MIN_CHARS = 3

/** Query parameters that came and went between two stops. */
function parameters(before: URL | null, after: URL): { added: string[]; dropped: string[] } {
  if (before === null) return { added: [], dropped: [] }
  const [old, now] = [new Set(before.searchParams.keys()), new Set(after.searchParams.keys())]
  return { added: [...now].filter((name) => !old.has(name)), dropped: [...old].filter((name) => !now.has(name)) }
}
