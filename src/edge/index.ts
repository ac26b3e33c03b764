import type { ServerResponse } from 'node:http'
import type { Duplex } from 'node:stream'
import type { Logger } from 'pino'
import type { Quick } from './quick.ts'
import { EdgeRequest } from './request.ts'
import { EdgeServer } from './server.ts'

export { drain } from './drain.ts'
export type { QuickHeaders, QuickRequest } from './head.ts'
export { readQuickHead } from './head.ts'
export { Metrics, mayRead } from './metrics.ts'
export type { Quick, QuickAnswer } from './quick.ts'
export { EdgeRequest } from './request.ts'

/** A head has this long to come. */
const HEAD_MS = 30_000
/** A whole request, upload and all, has this long. */
const REQUEST_MS = 15 * 60 * 1000
/** A connection that nothing comes on is kept this long: longer than proxies keep theirs, so that none is closed just as it is used again. */
const KEPT_MS = 75_000
/** Connections of one process, each with one answer in waiting at most; more are closed as they come, so that memory has a bound. */
const CONNECTIONS_MAX = 10_000
/** Within each stretch of this length a body must bring this much, or be all there: two thousand slow ones hold nothing for long. */
const STRETCH_MS = 15_000
const STRETCH_BYTES = 4 * 1024

export interface EdgeOptions {
  readonly log: Logger
  /** Asked first about what is plain; see {@link Quick}. */
  readonly quick?: Quick
  readonly answer: (request: EdgeRequest, response: ServerResponse) => void
  readonly onUpgrade: (request: EdgeRequest, socket: Duplex, head: Buffer) => void
  /** Of the stretches; another one in tests. */
  readonly stretchMs?: number
}

/** The server that everything from outside meets first: no connection ends anything, and no body holds one for long. */
export function openEdge({ log, quick, answer, onUpgrade, stretchMs = STRETCH_MS }: EdgeOptions): EdgeServer {
  const coming = new Map<EdgeRequest, { response: ServerResponse; bytes: number }>()
  const server = new EdgeServer(
    { IncomingMessage: EdgeRequest, headersTimeout: HEAD_MS, requestTimeout: REQUEST_MS, keepAliveTimeout: KEPT_MS },
    (request, response) => {
      if (hasBody(request)) {
        coming.set(request, { response, bytes: 0 })
        request.once('close', () => coming.delete(request))
      }
      if (settleTarget(request)) answer(request, response)
      else response.writeHead(400, { Connection: 'close', 'Content-Length': '0' }).end()
    },
    quick ?? null,
  )
  server.maxConnections = CONNECTIONS_MAX
  // Node takes its own listener off a connection that becomes another protocol: without this one a reset there would end everything.
  server.on('connection', (socket) =>
    socket.on('error', (error) => log.debug({ code: (error as NodeJS.ErrnoException).code }, 'a connection broke')),
  )
  server.on('upgrade', (request: EdgeRequest, socket: Duplex, head: Buffer) => {
    if (settleTarget(request)) onUpgrade(request, socket, head)
    else socket.end('HTTP/1.1 400 Bad Request\r\nConnection: close\r\nContent-Length: 0\r\n\r\n')
  })
  const sweep = setInterval(() => {
    for (const [request, seen] of coming) {
      // Where nobody takes what is there already, it is not the client who is slow.
      const isHeldUp = request.readableLength >= request.readableHighWaterMark
      if (!request.isWaiting) coming.delete(request)
      else if (!isHeldUp && request.bytes - seen.bytes < STRETCH_BYTES) tooSlow(request, seen.response)
      seen.bytes = request.bytes
    }
  }, stretchMs)
  sweep.unref()
  server.once('close', () => clearInterval(sweep))
  return server
}

/** A message has a body where one of these says so (RFC 9112 §6). */
export const hasBody = ({ headers }: EdgeRequest): boolean =>
  headers['transfer-encoding'] !== undefined || Number(headers['content-length'] ?? 0) > 0

/** An address in full as a target: scheme, host and port, and what is behind them (RFC 9112 §3.2.2). */
const ABSOLUTE = /^https?:\/\/([^/?#@\s]+)([/?].*)?$/i

/**
 * Whether it is plain whom a request is for: one Host (RFC 9112 §3.2), or a target in full, whose host comes before any header
 * (§3.2.2). Such a target is written as its path from here on.
 */
function settleTarget(request: EdgeRequest): boolean {
  let hosts = 0
  for (let i = 0; i < request.rawHeaders.length; i += 2) if (request.rawHeaders[i]?.toLowerCase() === 'host') hosts++
  if (hosts > 1) return false
  const { url = '/' } = request
  if (url.startsWith('/') || url === '*') return true
  const target = ABSOLUTE.exec(url)
  if (target === null) return request.method === 'CONNECT'
  const [, host = '', path = ''] = target
  request.headers.host = host
  request.url = path.startsWith('/') ? path : `/${path}`
  return true
}

/** The name in a Host header: without port, in lower case, and without the dot that may end a full name (RFC 3986 §3.2.2). */
export function hostOf(header: string | undefined): string {
  if (header === undefined) return ''
  const port = header.lastIndexOf(':')
  const host = port > header.lastIndexOf(']') ? header.slice(0, port) : header
  return host.toLowerCase().replace(/\.$/, '')
}

function tooSlow(request: EdgeRequest, response: ServerResponse): void {
  if (!response.headersSent) response.writeHead(408, { Connection: 'close', 'Content-Length': '0' }).end()
  setTimeout(() => request.destroy(), 1_000).unref() // once the answer is out
}
