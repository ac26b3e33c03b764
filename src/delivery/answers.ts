import { hash } from 'node:crypto'
import { deviceOf, languageOf } from '../core/clicks/index.ts'
import {
  ASKED_PATH_MAX_CHARS,
  answerShortLink,
  type CompiledShortLink,
  matchRedirect,
  matchShortLink,
  plainPath,
  type RedirectSource,
} from '../core/routing/index.ts'
import { inWords, spokenIn, tell } from '../words/index.ts'
import { locate } from './locate.ts'
import { pageLeadingOn } from './say.ts'
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
  /** By what one visitor is told from others; kept nowhere. */
  readonly visitor: () => string
}

/** What a short link or a row of redirects answers. */
export interface CountedAnswer {
  readonly status: number
  /** Names and values by turns. */
  readonly headers: readonly string[]
  /** ASCII; "" for none. */
  readonly body: string
  /** Of the link or the row, by which the answer is counted; null for one that led nobody on. */
  readonly countedAs: string | null
  /** Of a split, which destination it was. */
  readonly variant: number | null
}

/** Path and query of what was asked for; the query without "?", "" for none. */
export function partsOf(url: string): { path: string; query: string } {
  const at = url.indexOf('?')
  return at === -1 ? { path: url, query: '' } : { path: url.slice(0, at), query: url.slice(at + 1) }
}

/** So much is remembered of answers, in characters, to addresses of so many. */
const REMEMBERED_MAX_CHARS = 16 * 1024 * 1024
const ASKED_MAX_CHARS = 300
/** Of one answer besides what it says. */
const REMEMBERED_OVERHEAD_CHARS = 200

/**
 * What a short link or a row of redirects answers to a request; null where none does. Where rows have
 * no conditions everybody gets the same, which is remembered until the store changes; also that nothing answers.
 */
export function countedAnswer(view: StoreView, entry: HostEntry, asked: AskedOfHost): CountedAnswer | null {
  const isLook = asked.method === 'GET' || asked.method === 'HEAD'
  const mayRemember = isLook && asked.url.length <= ASKED_MAX_CHARS
  const key = mayRemember ? `${asked.host} ${asked.url}` : ''
  const known = mayRemember ? rememberedIn(view.state).answers.get(key) : undefined
  if (known !== undefined) return known
  if (wasMissed(view.state, asked)) return null
  const link = entry.kind === 'short' && isLook ? shortLinkAt(view, entry, asked.url) : null
  const rows = link === null ? view.redirects(entry) : null
  const made = link !== null ? shortLinkAnswer(link, entry, asked) : rows === null ? null : redirectAnswer(view, entry, rows, asked, isLook)
  if (!mayRemember || rows?.hasConditions === true || (link !== null && link.course !== null)) {
    if (made === null) noteMiss(view.state, asked)
    return made
  }
  const remembered = rememberedIn(view.state)
  const chars = REMEMBERED_OVERHEAD_CHARS + key.length + (made === null ? 0 : made.body.length + made.headers.join('').length)
  if (remembered.chars + chars > REMEMBERED_MAX_CHARS) {
    remembered.answers.clear()
    remembered.chars = 0
  }
  remembered.answers.set(key, made)
  remembered.chars += chars
  return made
}

/**
 * What nothing answered a moment ago is asked for again by the same request, once more is prepared for its answer (see
 * `respondQuickly`): rows are not asked twice.
 */
const MISSES_MAX = 64
const MISSED_FOR_MS = 1_000
let misses = new Map<string, { readonly state: object; readonly atMs: number }>()
const missKey = ({ host, method, url, language, agent }: AskedOfHost): string => JSON.stringify([host, method, url, language, agent])
function noteMiss(state: object, asked: AskedOfHost): void {
  if (misses.size >= MISSES_MAX) misses = new Map()
  misses.set(missKey(asked), { state, atMs: asked.nowMs })
}
function wasMissed(state: object, asked: AskedOfHost): boolean {
  if (misses.size === 0) return false
  const key = missKey(asked)
  const miss = misses.get(key)
  if (miss === undefined) return false
  misses.delete(key)
  return miss.state === state && Math.abs(asked.nowMs - miss.atMs) < MISSED_FOR_MS
}

interface Remembered {
  readonly answers: Map<string, CountedAnswer | null>
  chars: number
}

/** By what the store held. */
const answersOf = new WeakMap<object, Remembered>()
function rememberedIn(state: object): Remembered {
  const known = answersOf.get(state)
  if (known !== undefined) return known
  const made: Remembered = { answers: new Map(), chars: 0 }
  answersOf.set(state, made)
  return made
}

const shortLinkAt = (view: StoreView, entry: HostEntry, url: string): CompiledShortLink | null =>
  matchShortLink(partsOf(url).path, entry.prefixes, (slug) => view.shortLink(entry.id, slug))

/** Kept by nobody, so that each click is seen and a changed destination holds at once. */
const UNKEPT = ['Cache-Control', 'private, no-store'] as const
const UNSEEN = ['X-Robots-Tag', 'noindex, nofollow'] as const
const HTML = ['Content-Type', 'text/html; charset=utf-8'] as const

function shortLinkAnswer(link: CompiledShortLink, { ground }: HostEntry, asked: AskedOfHost): CountedAnswer {
  const { course } = link
  const { query } = partsOf(asked.url)
  const answer = answerShortLink(link, {
    query,
    language: course === null || asked.language === undefined ? null : languageOf(asked.language),
    device: course === null ? 'other' : deviceOf(asked.agent),
    nowMs: asked.nowMs,
    chance: () => chanceOf(`${link.id} ${asked.visitor()}`),
  })
  if (answer.kind !== 'leads') {
    const [status, said] = NOT_LEADING[answer.kind]
    const { setup, origin } = ground
    const body = spokenIn(setup.language)[said]
    const page = pageLeadingOn(body, { name: setup.name, address: `${origin}/`, language: setup.language })
    return { status, headers: [...HTML, ...UNKEPT, ...UNSEEN], body: page, countedAs: null, variant: null }
  }
  const headers = ['Location', answer.location, ...UNKEPT, ...(course?.isIndexed === true ? [] : UNSEEN)]
  if (course !== null && course.referrer !== '') headers.push('Referrer-Policy', course.referrer)
  return { status: answer.status, headers, body: '', countedAs: link.id, variant: answer.variant }
}

const NOT_LEADING = {
  'not yet': [404, 'notYet'],
  over: [404, 'over'],
  gone: [410, 'gone'],
} as const

/** From 0 inclusive to 1 exclusive, the same for the same text. */
const chanceOf = (text: string): number => Number.parseInt(hash('sha256', text).slice(0, 12), 16) / 2 ** 48

/** For how long browsers and caches may answer by themselves. A moved page is asked for again some time, so that a mistake can be mended. */
const CACHED = { moved: 'public, max-age=3600', gone: 'public, max-age=300', other: 'private, no-store' } as const

/** Other methods than these keep what they are by 307 and 308 (RFC 9110 §15.4): a form that was sent must not turn into a look. */
const KEEPING = { 301: 308, 302: 307 } as const

function redirectAnswer(
  view: StoreView,
  entry: HostEntry,
  rows: RedirectSource,
  asked: AskedOfHost,
  isLook: boolean,
): CountedAnswer | null {
  const { path, query } = partsOf(asked.url)
  if (path.length > ASKED_PATH_MAX_CHARS) return null
  const question = {
    host: asked.host,
    // On a short host nothing stands but short links: a path is one of the site's.
    origin: entry.kind === 'short' ? entry.ground.origin : entry.address,
    isByNameOnly: entry.kind !== 'site',
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
    body: found.location !== null ? '' : `${inWords(status === 410 ? tell('answer.gone') : tell('answer.legal'))}\n`,
    countedAs: found.row.id,
    variant: null,
  }
}
