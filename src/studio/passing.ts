import http, { type ServerResponse } from 'node:http'
import { pipeline } from 'node:stream'
import type { Logger } from 'pino'
import { type Fault, PROBLEMS, problemOf, titleOf } from '../contract/problems.ts'
import { isOfOneHop } from '../delivery/front-door/index.ts'
import type { Visitors } from '../delivery/visitor.ts'
import { type EdgeRequest, hasBody } from '../edge/index.ts'
import { inWords, tell } from '../words/index.ts'
import { bodyLimit } from './limits.ts'

/** Told by the edge alone: what a client says of these is dropped. */
const OURS = new Set([
  'x-request-id',
  'forwarded',
  'x-forwarded-for',
  'x-forwarded-host',
  'x-forwarded-proto',
  'x-forwarded-port',
  'x-real-ip',
])
/** What the studio answers; TRACE and the rest end here. */
const METHODS = new Set(['GET', 'HEAD', 'POST', 'PUT', 'PATCH', 'DELETE', 'OPTIONS'])

/** A path with a percent sign that escapes nothing names nothing here. */
function isReadable(path: string): boolean {
  try {
    return !decodeURIComponent(path).includes('\0')
  } catch {
    return false
  }
}

/** The page that says the studio is away asks again after this many seconds. */
const ASK_AGAIN_SECONDS = 3

/**
 * Passes requests for the studio's hosts on to the studio's socket, bodies counted and answers streamed. The studio may be
 * this process or another; while it is away, a page says so and comes back by itself.
 */
export function passToStudio(socketPath: string, { visitors, log }: { visitors: Visitors; log: Logger }) {
  return (request: EdgeRequest, response: ServerResponse): void => {
    const path = (request.url ?? '/').split('?', 1)[0] ?? '/'
    if (!METHODS.has(request.method ?? '')) return refuse(request, response, 'wrong-method', { Allow: [...METHODS].join(', ') })
    if (!isReadable(path)) return refuse(request, response, 'not-found', {})
    const { maxBytes, fault } = bodyLimit(request.method ?? 'GET', path, request.headers['content-type'])
    let isRefused = false
    const onward = http.request({
      socketPath,
      agent: false, // a connection over a Unix socket costs next to nothing, and a fresh one is never half closed
      method: request.method,
      path: request.url,
      headers: [...headersOn(request, visitors), 'X-Request-Id', request.id],
    })
    onward.on('error', (error: NodeJS.ErrnoException) => {
      if (isRefused || response.destroyed) return
      if (response.headersSent) return void response.destroy()
      log.debug({ code: error.code, requestId: request.id }, 'the studio does not answer')
      refuse(request, response, 'studio-away', { 'Retry-After': String(ASK_AGAIN_SECONDS) })
    })
    onward.on('response', (answer) => {
      if (isRefused || response.headersSent) return void answer.resume()
      const headers: string[] = []
      for (let i = 0; i + 1 < answer.rawHeaders.length; i += 2) {
        const [name = '', value = ''] = answer.rawHeaders.slice(i, i + 2)
        if (!isOfOneHop(name)) headers.push(name, value)
      }
      response.writeHead(answer.statusCode ?? 502, answer.statusMessage, headers)
      pipeline(answer, response, () => {})
    })
    response.once('close', () => onward.destroy())
    request.limit(maxBytes, () => {
      isRefused = true
      onward.destroy()
      refuse(request, response, fault, {})
      linger(request)
    })
    if (isRefused) return
    // Not a pipeline: that ends the connection with the onward one, before a refusal is out.
    request.on('error', () => onward.destroy())
    onward.once('close', () => linger(request)) // an answer can come before all of the body has
    if (hasBody(request)) request.pipe(onward)
    else onward.end()
  }
}

/** Whoever was refused and still sends has this long to notice. */
const LINGER_MS = 10_000

/** What the studio is told: nothing of one hop, and who asks, by which protocol, as decided here. */
function headersOn(request: EdgeRequest, visitors: Visitors): string[] {
  const headers: string[] = []
  const named = String(request.headers.connection ?? '')
    .toLowerCase()
    .split(/[\s,]+/)
  for (let i = 0; i + 1 < request.rawHeaders.length; i += 2) {
    const [name = '', value = ''] = request.rawHeaders.slice(i, i + 2)
    const lower = name.toLowerCase()
    const isLength = lower === 'transfer-encoding' // the body goes on in the same way
    if (isLength || !(isOfOneHop(lower) || OURS.has(lower) || lower === 'expect' || named.includes(lower))) headers.push(name, value)
  }
  headers.push('X-Forwarded-For', visitors.addressOf(request), 'X-Forwarded-Proto', visitors.protocolOf(request), 'Connection', 'close')
  return headers
}

function refuse(request: EdgeRequest, response: ServerResponse, fault: Fault, headers: Readonly<Record<string, string>>): void {
  if (response.headersSent) return void response.destroy()
  const words = inWords(titleOf(fault))
  const isApi = (request.url ?? '').startsWith('/api/')
  const isAway = fault === 'studio-away'
  const body = isApi
    ? JSON.stringify(inWords(problemOf(fault)))
    : `<!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>Map Rope</title>` +
      (isAway && request.method === 'GET' ? `<meta http-equiv="refresh" content="${ASK_AGAIN_SECONDS}">` : '') +
      `<body style="font:1.1rem/1.5 system-ui,sans-serif;max-width:34rem;margin:18vh auto;padding:0 1.5rem;background:#F6F1E6;color:#16283A"><h1 style="font-size:1.5rem">Map Rope</h1><p>${words}</p>${isAway ? `<p>${inWords(tell('answer.asks-again'))}</p>` : ''}`
  response.writeHead(PROBLEMS[fault], {
    ...headers,
    'Content-Type': isApi ? 'application/problem+json' : 'text/html; charset=utf-8',
    'Content-Length': Buffer.byteLength(body),
    'Cache-Control': 'no-store',
    'Content-Security-Policy': "default-src 'none'; style-src 'unsafe-inline'; frame-ancestors 'none'",
    'X-Content-Type-Options': 'nosniff',
  })
  response.end(request.method === 'HEAD' ? undefined : body)
}

/**
 * Goes on taking what is sent, and drops it: a connection that is closed while its other side still sends is reset, and the
 * answer is lost on the way (RFC 9112 §9.6).
 */
function linger(request: EdgeRequest): void {
  if (request.complete && request.readableEnded) return
  request.unpipe()
  request.resume()
  const end = setTimeout(() => request.destroy(), LINGER_MS).unref()
  request.once('end', () => clearTimeout(end))
}
