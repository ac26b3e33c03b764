import { deviceOf, languageOf } from '../core/clicks/index.ts'
import { matchRedirect, matchShortLink, plainPath } from '../core/routing/index.ts'
import { locate } from './locate.ts'
import type { HostEntry, StoreView } from './store/index.ts'

/** What is asked of a host by one request. */
export interface AskedOfHost {
  readonly host: string
  readonly method: string
  /** Path and query as sent. */
  readonly url: string
  readonly language: string | undefined
  readonly agent: string | undefined
  /** UTC. */
  readonly nowMs: number
}

/** What a short link or a row of redirects answers. */
export interface CountedAnswer {
  readonly status: number
  /** Names and values by turns. */
  readonly headers: readonly string[]
  /** ASCII; "" for none. */
  readonly body: string
  /** Of the link or the row, by which the answer is counted. */
  readonly countedAs: string
  /** Whether everybody gets the same who asks for it. */
  readonly isForAll: boolean
}

/** Path and query of what was asked for; the query without "?", "" for none. */
export function partsOf(url: string): { path: string; query: string } {
  const at = url.indexOf('?')
  return at === -1 ? { path: url, query: '' } : { path: url.slice(0, at), query: url.slice(at + 1) }
}

/** So many answers are remembered, to addresses of so many characters: some 30 MB at most. */
const REMEMBERED_MAX = 50_000
const REMEMBERED_MAX_CHARS = 300

/**
 * What a short link or a row of redirects answers to a request; null where none does. Answers that are the same for everybody
 * are remembered until the store changes.
 */
export function countedAnswer(view: StoreView, entry: HostEntry, asked: AskedOfHost): CountedAnswer | null {
  const isLook = asked.method === 'GET' || asked.method === 'HEAD'
  if (!isLook) return entry.kind === 'short' ? null : redirectAnswer(view, entry, asked, false)
  const remembered = rememberedIn(view.state)
  const key = `${asked.host} ${asked.url}`
  const known = remembered.get(key)
  if (known !== undefined) return known
  const answer = entry.kind === 'short' ? shortLinkAnswer(view, entry, asked) : redirectAnswer(view, entry, asked, true)
  if (answer?.isForAll === true && key.length <= REMEMBERED_MAX_CHARS) {
    if (remembered.size >= REMEMBERED_MAX) remembered.clear()
    remembered.set(key, answer)
  }
  return answer
}

/** By what the store held. */
const answersOf = new WeakMap<object, Map<string, CountedAnswer>>()
function rememberedIn(state: object): Map<string, CountedAnswer> {
  const answers = answersOf.get(state) ?? new Map<string, CountedAnswer>()
  answersOf.set(state, answers)
  return answers
}

function shortLinkAnswer(view: StoreView, entry: HostEntry, { url }: AskedOfHost): CountedAnswer | null {
  const found = matchShortLink(partsOf(url).path, entry.prefix, (slug) => view.shortLink(entry.id, slug))
  if (found === null) return null
  // Kept by nobody, so that each click is seen and a changed destination holds at once.
  const headers = ['Location', found.location, 'Cache-Control', 'private, no-store', 'X-Robots-Tag', 'noindex, nofollow']
  return { status: found.status, headers, body: '', countedAs: found.id, isForAll: true }
}

/** For how long browsers and caches may answer by themselves. A moved page is asked for again some time, so that a mistake can be mended. */
const CACHED = { moved: 'public, max-age=3600', gone: 'public, max-age=300', other: 'private, no-store' } as const

/** Other methods than these keep what they are by 307 and 308 (RFC 9110 §15.4): a form that was sent must not turn into a look. */
const KEEPING = { 301: 308, 302: 307 } as const

function redirectAnswer(view: StoreView, entry: HostEntry, asked: AskedOfHost, isLook: boolean): CountedAnswer | null {
  const rows = view.redirects(entry)
  if (rows === null) return null
  const { path, query } = partsOf(asked.url)
  const question = {
    host: asked.host,
    origin: entry.address,
    isDoor: entry.kind === 'door',
    path: plainPath(path),
    query,
    language: rows.hasConditions && asked.language !== undefined ? languageOf(asked.language) : null,
    device: rows.hasConditions ? deviceOf(asked.agent) : 'other',
    nowMs: asked.nowMs,
  } as const
  const found = matchRedirect(question, rows, () => entry.kind === 'site' && locate(view, entry, path) !== null)
  if (found === null) return null
  const status = !isLook && (found.status === 301 || found.status === 302) ? KEEPING[found.status] : found.status
  const isLasting = status === 301 || status === 308
  // Where visitors differ, what one of them got is not the next one's.
  const cached = rows.hasConditions ? CACHED.other : found.location === null ? CACHED.gone : isLasting ? CACHED.moved : CACHED.other
  const lead = found.location === null ? ['Content-Type', 'text/plain; charset=utf-8'] : ['Location', found.location]
  return {
    status,
    headers: [...lead, 'Cache-Control', cached],
    body:
      found.location !== null
        ? ''
        : `${status === 410 ? 'This page has gone for good.' : 'This page cannot be shown for legal reasons.'}\n`,
    countedAs: found.row.id,
    isForAll: !rows.hasConditions,
  }
}
