import { createReadStream } from 'node:fs'
import type { ServerResponse } from 'node:http'
import { normalise, withoutIndex } from '../core/address/index.ts'
import { deviceOf, languageOf } from '../core/clicks/index.ts'
import { type Asked, matchRedirect, matchShortLink, plainPath } from '../core/routing/index.ts'
import type { EdgeRequest } from '../edge/index.ts'
import type { Delivery } from './delivery.ts'
import { frontDoor } from './front-door/index.ts'
import { answerMissing } from './missing.ts'
import { say } from './say.ts'
import type { HostEntry, StoredFile, StoredPage, StoreView } from './store/index.ts'

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
  const url = request.url ?? '/'
  const query = url.indexOf('?')
  const path = query === -1 ? url : url.slice(0, query)
  if (entry.kind === 'short') {
    try {
      shortLink(delivery, view, entry, path, request, response)
    } catch (error) {
      // A store that cannot be read must end no process: it is built anew.
      delivery.log.error({ err: error, path, requestId: request.id }, 'a short link could not be answered')
      delivery.store.reportDamage()
      if (!response.headersSent) sayBroken(request, response)
    } finally {
      view.done()
    }
    return true
  }
  try {
    if (redirect(delivery, view, entry, { host, path, query: query === -1 ? '' : url.slice(query + 1) }, request, response)) {
      view.done()
      return true
    }
  } catch (error) {
    view.done()
    delivery.log.error({ err: error, path, requestId: request.id }, 'a redirect could not be answered')
    delivery.store.reportDamage()
    if (!response.headersSent) sayBroken(request, response)
    return true
  }
  const held = setTimeout(() => view.done(), HELD_MS).unref()
  response.once('close', () => {
    clearTimeout(held)
    view.done()
  })
  if (entry.kind === 'door') frontDoor(delivery, view, entry, host, request, response)
  else if (request.method !== 'GET' && request.method !== 'HEAD')
    say(response, 405, 'This page can only be read.', request.method, { Allow: 'GET, HEAD' })
  else
    content(delivery, view, entry, { host, path, query: url.slice(path.length) }, request, response).catch((error: unknown) => {
      delivery.log.error({ err: error, path, requestId: request.id }, 'a page could not be delivered')
      if (isMissing(error)) delivery.store.reportDamage()
      if (!response.headersSent) sayBroken(request, response)
      else response.destroy()
    })
  return true
}

/** With the number by which the log tells what it was. */
function sayBroken(request: EdgeRequest, response: ServerResponse): void {
  const sentence = `Something went wrong here. Please try again in a moment. Its number is ${request.id}.`
  say(response, 500, sentence, request.method, { 'X-Request-Id': request.id })
}

function shortLink(
  { clicks, visitors }: Delivery,
  view: StoreView,
  entry: HostEntry,
  path: string,
  request: EdgeRequest,
  response: ServerResponse,
): void {
  const { method } = request
  if (method !== 'GET' && method !== 'HEAD') return say(response, 405, 'A short link can only be followed.', method, { Allow: 'GET, HEAD' })
  const found = matchShortLink(path, entry.prefix, (slug) => view.shortLink(entry.id, slug))
  if (found === null) return say(response, 404, path === '/' ? entry.ground.setup.name : 'There is no short link of this name.', method)
  // Kept by nobody, so that each click is seen and a changed destination holds at once.
  response.writeHead(found.status, [
    'Location',
    found.location,
    'Cache-Control',
    'private, no-store',
    'X-Robots-Tag',
    'noindex, nofollow',
    'Content-Length',
    '0',
  ])
  clicks.append(visitors.clickLine(request, found.id, Date.now()), () => response.end())
}

/** For how long browsers and caches may answer by themselves. A moved page is asked for again some time, so that a mistake can be mended. */
const CACHED = { moved: 'public, max-age=3600', gone: 'public, max-age=300', other: 'private, no-store' } as const

/** Other methods than these keep what they are by 307 and 308 (RFC 9110 §15.4): a form that was sent must not turn into a look. */
const KEEPING = { 301: 308, 302: 307 } as const

/** Answers what a row of the site's redirects says. @returns false where none does */
function redirect(
  { clicks, visitors }: Delivery,
  view: StoreView,
  entry: HostEntry,
  { host, path, query }: Pick<Asked, 'host' | 'path' | 'query'>,
  request: EdgeRequest,
  response: ServerResponse,
): boolean {
  const rows = view.redirects(entry)
  if (rows === null) return false
  const { method = 'GET', headers } = request
  const asked: Asked = {
    host,
    origin: entry.address,
    isDoor: entry.kind === 'door',
    path: plainPath(path),
    query,
    language: rows.hasConditions && headers['accept-language'] !== undefined ? languageOf(headers['accept-language']) : null,
    device: rows.hasConditions ? deviceOf(headers['user-agent']) : 'other',
    nowMs: Date.now(),
  }
  const found = matchRedirect(asked, rows, () => entry.kind === 'site' && locate(view, entry, path) !== null)
  if (found === null) return false
  const isLook = method === 'GET' || method === 'HEAD'
  const status = !isLook && (found.status === 301 || found.status === 302) ? KEEPING[found.status] : found.status
  const isLasting = status === 301 || status === 308
  const body =
    found.location === null
      ? Buffer.from(found.status === 410 ? 'This page has gone for good.\n' : 'This page cannot be shown for legal reasons.\n')
      : null
  response.writeHead(status, {
    ...(found.location === null ? { 'Content-Type': 'text/plain; charset=utf-8' } : { Location: found.location }),
    // Where visitors differ, what one of them got is not the next one's.
    'Cache-Control': rows.hasConditions ? CACHED.other : found.location === null ? CACHED.gone : isLasting ? CACHED.moved : CACHED.other,
    'Content-Length': body?.length ?? 0,
  })
  clicks.append(visitors.clickLine(request, found.row.id, asked.nowMs), () =>
    response.end(body === null || method === 'HEAD' ? undefined : body),
  )
  return true
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

type Place = { page: StoredPage } | { file: StoredFile } | { moved: string }

/** Finds what a path names, tolerant of percent-encoding, index files and the closing slash. */
function locate(view: StoreView, entry: HostEntry, path: string): Place | null {
  const { origin } = entry.ground
  const as = (each: string): Place | null => {
    const page = view.page(entry, each)
    if (page !== null) return { page }
    const file = view.file(entry, each)
    return file === null ? null : { file }
  }
  const asSent = as(path)
  if (asSent !== null) return asSent
  const plain = pathnameOf(normalise(path, origin) ?? path)
  const found = plain === path ? null : as(plain)
  if (found !== null) return found
  const index = view.page(entry, withoutIndex(plain))
  if (index !== null) return { page: index }
  const other = plain.endsWith('/') ? plain.slice(0, -1) : `${plain}/`
  return other !== '' && view.page(entry, other) !== null ? { moved: other } : null
}

const pathnameOf = (address: string): string => (address.startsWith('/') ? address : new URL(address).pathname)

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
