import { createReadStream } from 'node:fs'
import type { ServerResponse } from 'node:http'
import { ROBOTS_PATH, SITEMAP_PATH } from '../core/address/index.ts'
import type { EdgeRequest, QuickAnswer, QuickRequest } from '../edge/index.ts'
import { spokenIn, tell } from '../words/index.ts'
import { type CountedAnswer, countedAnswer, partsOf } from './answers.ts'
import { answerCounting } from './counted-pages.ts'
import type { Delivery } from './delivery.ts'
import { frontDoor } from './front-door/index.ts'
import { locate } from './locate.ts'
import { answerMissing } from './missing.ts'
import { say, sayNotYet } from './say.ts'
import { answerRobots, answerSitemap } from './sitemap.ts'
import type { HostEntry, StoreView } from './store/index.ts'

/** A moment of the store is held for whoever takes an answer slowly for so long; the rest of it is then as of later. */
const HELD_MS = 30_000

/**
 * Answers a request for a public host. It sees the store as of one moment, whatever comes meanwhile (invariant 2).
 * @returns false where the host is none of ours, and nothing was answered
 */
export function respond(delivery: Delivery, host: string, request: EdgeRequest, response: ServerResponse): boolean {
  const view = delivery.store.begin()
  const entry = view?.host(host) ?? null
  if (view === null || entry === null) {
    view?.done()
    return false
  }
  const { url = '/', method = 'GET', headers } = request
  const { path } = partsOf(url)
  try {
    const answer = countedAnswer(view, entry, {
      host,
      method,
      url,
      language: headers['accept-language'],
      agent: headers['user-agent'],
      nowMs: Date.now(),
      visitor: () => delivery.visitors.visitorOf(request),
    })
    if (answer !== null) sendCounted(delivery, answer, request, response)
    else if (entry.kind === 'short') {
      if (view.isFilling) sayNotYet(response, method)
      else sayNoShortLink(entry, path, request, response)
    }
    if (answer !== null || entry.kind === 'short') {
      view.done()
      return true
    }
  } catch (error) {
    // A store that cannot be read must end no process: it is built anew.
    view.done()
    delivery.log.error({ err: error, path, requestId: request.id }, 'an address could not be answered')
    delivery.store.reportDamage()
    if (!response.headersSent) sayBroken(request, response)
    return true
  }
  const held = setTimeout(() => view.done(), HELD_MS).unref()
  response.once('close', () => {
    clearTimeout(held)
    view.done()
  })
  if (answerCounting(delivery, view, entry, { host, path }, request, response)) return true
  if (entry.kind === 'door') frontDoor(delivery, view, entry, host, request, response)
  else if (method !== 'GET' && method !== 'HEAD') say(response, 405, tell('answer.page-read'), method, { Allow: 'GET, HEAD' })
  else
    content(delivery, view, entry, { host, path, query: url.slice(path.length) }, request, response).catch((error: unknown) => {
      delivery.log.error({ err: error, path, requestId: request.id }, 'a page could not be delivered')
      if (isMissing(error)) delivery.store.reportDamage()
      if (!response.headersSent) sayBroken(request, response)
      else response.destroy()
    })
  return true
}

/**
 * Answers a plain request where a short link or a row of redirects does, before anything is prepared for a longer answer.
 * @returns false where neither does, or the store cannot be read: {@link respond} tells why
 */
export function respondQuickly(delivery: Delivery, host: string, request: QuickRequest, send: (answer: QuickAnswer) => void): boolean {
  const view = delivery.store.begin()
  try {
    const entry = view?.host(host) ?? null
    if (view === null || entry === null) return false
    const { method, url, headers } = request
    const nowMs = Date.now()
    const answer = countedAnswer(view, entry, {
      host,
      method,
      url,
      language: headers['accept-language'],
      agent: headers['user-agent'],
      nowMs,
      visitor: () => delivery.visitors.visitorOf(request),
    })
    if (answer === null || answer.countedAs === null) return false
    delivery.clicks.append(delivery.visitors.clickLine(request, { id: answer.countedAs, variant: answer.variant }, nowMs), () =>
      send(answer),
    )
    return true
  } catch {
    return false
  } finally {
    view?.done()
  }
}

/** With the number by which the log tells what it was. */
function sayBroken(request: EdgeRequest, response: ServerResponse): void {
  const sentence = tell('answer.broken', { number: request.id })
  say(response, 500, sentence, request.method, { 'X-Request-Id': request.id })
}

function sayNoShortLink(entry: HostEntry, path: string, { method }: EdgeRequest, response: ServerResponse): void {
  if (method !== 'GET' && method !== 'HEAD') return say(response, 405, tell('answer.short-link-followed'), method, { Allow: 'GET, HEAD' })
  const { name, language } = entry.ground.setup
  say(response, 404, path === '/' ? name : spokenIn(language).noShortLink, method, {}, '', language)
}

/** Writes what a short link or a row answers, once it is in the log. */
function sendCounted({ clicks, visitors }: Delivery, answer: CountedAnswer, request: EdgeRequest, response: ServerResponse): void {
  response.writeHead(answer.status, [...answer.headers, 'Content-Length', String(answer.body.length)])
  const end = (): void => void response.end(answer.body === '' || request.method === 'HEAD' ? undefined : answer.body)
  const { countedAs: id, variant } = answer
  if (id === null) end()
  else clicks.append(visitors.clickLine(request, { id, variant }, Date.now()), end)
}

async function content(
  delivery: Delivery,
  view: StoreView,
  entry: HostEntry,
  { host, path, query }: { host: string; path: string; query: string },
  request: EdgeRequest,
  response: ServerResponse,
): Promise<void> {
  const place = locate(view, entry, path)
  if (place === null && view.isFilling) return sayNotYet(response, request.method)
  if (place === null && path === SITEMAP_PATH) return answerSitemap(view, entry, request, response)
  if (place === null && path === ROBOTS_PATH) return answerRobots(entry, request, response)
  if (place === null) return answerMissing(delivery, view, entry, { host, path }, request, response)
  if ('moved' in place) {
    response.writeHead(301, { Location: place.moved + query, 'Content-Length': '0' }).end()
    return
  }
  if ('page' in place) {
    const delivered = await delivery.pages.deliver(view, entry, place.page)
    const isPacked = takesGzip(request) && delivered.bytes.length >= PACKED_MIN_BYTES
    const { bytes, etag } = isPacked ? await delivery.pages.packed(delivered) : delivered
    const headers = {
      'Content-Type': `text/html; charset=${place.page.encoding}`,
      ETag: etag,
      'Cache-Control': 'no-cache',
      Vary: 'Accept-Encoding',
      ...(isPacked ? { 'Content-Encoding': 'gzip' } : {}),
    }
    if (isFresh(request, etag)) return void response.writeHead(304, headers).end()
    response.writeHead(200, { ...headers, 'Content-Length': bytes.length })
    response.end(request.method === 'HEAD' ? undefined : bytes)
    return
  }
  sendFile(delivery, place.file, request, response)
}

/** Below this a page is hardly shorter when it is packed. */
const PACKED_MIN_BYTES = 1_024

/** Whether a visitor takes a packed answer: named, and not with the weight nought (RFC 9110 §12.5.3). */
function takesGzip({ headers }: EdgeRequest): boolean {
  const accepted = headers['accept-encoding']
  return accepted !== undefined && /(?:^|[,\s])gzip\s*(?:$|[,;])/i.test(accepted) && !/gzip\s*;\s*q=0(?:\.0*)?\s*(?:$|,)/i.test(accepted)
}

const isMissing = (error: unknown): boolean => error instanceof Error && 'code' in error && error.code === 'ENOENT'

function isFresh(request: EdgeRequest, etag: string): boolean {
  const known = request.headers['if-none-match']
  return known !== undefined && (known === '*' || known.split(',').some((each) => each.trim().replace(/^W\//, '') === etag))
}

function sendFile(
  { store, log }: Delivery,
  file: { hash: string; mediaType: string; bytes: number },
  request: EdgeRequest,
  response: ServerResponse,
): void {
  const etag = `"${file.hash.slice(0, 24)}"`
  const headers: Record<string, string | number> = {
    'Content-Type': file.mediaType,
    ETag: etag,
    'Cache-Control': 'no-cache',
    'Accept-Ranges': 'bytes',
    'X-Content-Type-Options': 'nosniff',
    // Nothing in a file may run when it is opened by itself. A document's viewer is the browser's own, and needs to be let.
    'Content-Security-Policy':
      file.mediaType === 'application/pdf'
        ? "script-src 'none'; base-uri 'none'"
        : "sandbox; default-src 'none'; style-src 'unsafe-inline'; img-src 'self' data:; media-src 'self'; font-src 'self' data:",
  }
  // Web fonts are only loaded across origins where the server allows it; the studio shows pages in a frame of no origin.
  if (file.mediaType.startsWith('font/')) headers['Access-Control-Allow-Origin'] = '*'
  if (isFresh(request, etag)) return void response.writeHead(304, headers).end()
  const range = rangeOf(request.headers.range, file.bytes)
  if (range === 'unsatisfiable')
    return void response.writeHead(416, { 'Content-Range': `bytes */${file.bytes}`, 'Content-Length': '0' }).end()
  const { from, to } = range ?? { from: 0, to: file.bytes - 1 }
  if (range !== null) headers['Content-Range'] = `bytes ${from}-${to}/${file.bytes}`
  headers['Content-Length'] = file.bytes === 0 ? 0 : to - from + 1
  response.writeHead(range === null ? 200 : 206, headers)
  if (request.method === 'HEAD' || file.bytes === 0) return void response.end()
  const stream = createReadStream(store.blobFile(file.hash), { start: from, end: to })
  stream.on('error', (error) => {
    log.error({ err: error }, 'a file could not be read')
    if (isMissing(error)) store.reportDamage()
    response.destroy()
  })
  response.on('close', () => stream.destroy())
  stream.pipe(response)
}

/** One byte range (RFC 9110 §14.1.2); null for none or for several, which are answered whole. */
function rangeOf(header: string | undefined, size: number): { from: number; to: number } | 'unsatisfiable' | null {
  const found = /^bytes=(\d*)-(\d*)$/.exec(header ?? '')
  if (found === null || (found[1] === '' && found[2] === '')) return null
  const from = found[1] === '' ? Math.max(0, size - Number(found[2])) : Number(found[1])
  const to = found[1] === '' || found[2] === '' ? size - 1 : Math.min(Number(found[2]), size - 1)
  return from >= size || from > to ? 'unsatisfiable' : { from, to }
}
