import http, { type IncomingMessage } from 'node:http'
import https from 'node:https'
import { type Duplex, pipeline } from 'node:stream'
import { resolver } from '../../outside/index.ts'
import type { Delivery } from '../delivery.ts'
import type { HostEntry } from '../store/index.ts'
import { TooSlow } from './behind.ts'
import { DOOR_TIMEOUT_MS, originBehind, pathOf } from './door.ts'
import { endToEnd, isOfOneHop, isRing, readHeaders, signOf } from './headers.ts'

/** Headers that speak of a body, and go where no body is sent on. */
const OF_THE_BODY = /^(?:content-|transfer-encoding$|trailer$|etag$|accept-ranges$)/i

/**
 * A connection that becomes a WebSocket (RFC 6455 §4): both sides are joined and left alone. What the site behind answers
 * instead is told by its status alone: a page on this way would be one without rules.
 */
export function upgradeDoor(
  delivery: Delivery,
  entry: HostEntry,
  host: string,
  request: IncomingMessage,
  socket: Duplex,
  head: Buffer,
): void {
  const origin = originBehind(entry)
  const path = pathOf(request)
  const sign = signOf(delivery.clicks.node, host)
  socket.on('error', () => {})
  if (origin === null || path === null) return close(socket, '502 Bad Gateway')
  if (isRing(request, sign)) return close(socket, '508 Loop Detected')
  const isSecure = origin.protocol === 'https:'
  const { 'x-real-ip': _r, forwarded: _f, via, ...headers } = endToEnd(readHeaders(request.rawHeaders))
  const outgoing = (isSecure ? https : http).request({
    protocol: origin.protocol,
    hostname: origin.hostname,
    port: origin.port === '' ? (isSecure ? 443 : 80) : Number(origin.port),
    path,
    method: request.method,
    lookup: resolver(entry.ground.setup.insideAllowed ?? []),
    agent: false,
    headers: {
      ...headers,
      host: origin.host,
      connection: 'Upgrade',
      upgrade: 'websocket',
      via: [via, `1.1 ${sign}`]
        .flat()
        .filter((each) => each !== undefined)
        .join(', '),
      'x-forwarded-for': delivery.visitors.addressOf(request),
      'x-forwarded-host': request.headers.host,
      'x-forwarded-proto': delivery.visitors.protocolOf(request),
    },
  })
  const timer = setTimeout(() => outgoing.destroy(new TooSlow()), delivery.doorTimeoutMs ?? DOOR_TIMEOUT_MS)
  outgoing.on('upgrade', (answer, other, first) => {
    clearTimeout(timer)
    other.on('error', () => socket.destroy())
    socket.write(headOf(answer, (name) => !isOfOneHop(name), ['Connection: Upgrade', 'Upgrade: websocket']))
    if (first.length > 0) socket.write(first)
    if (head.length > 0) other.write(head)
    pipeline(socket, other, () => other.destroy())
    pipeline(other, socket, () => socket.destroy())
  })
  outgoing.on('response', (answer) => {
    clearTimeout(timer)
    answer.resume()
    socket.end(headOf(answer, (name) => !isOfOneHop(name) && !OF_THE_BODY.test(name), ['Connection: close', 'Content-Length: 0']))
  })
  outgoing.on('error', () => {
    clearTimeout(timer)
    if (socket.writable) close(socket, '502 Bad Gateway')
  })
  socket.on('close', () => outgoing.destroy())
  outgoing.end()
}

const close = (socket: Duplex, status: string): void =>
  void socket.end(`HTTP/1.1 ${status}\r\nConnection: close\r\nContent-Length: 0\r\n\r\n`)

/** The head of an answer, with those of its headers that go on. */
function headOf(answer: IncomingMessage, goesOn: (name: string) => boolean, ours: readonly string[]): string {
  const lines = [`HTTP/1.1 ${answer.statusCode} ${answer.statusMessage}`, ...ours]
  for (let i = 0; i + 1 < answer.rawHeaders.length; i += 2)
    if (goesOn(answer.rawHeaders[i] ?? '')) lines.push(`${answer.rawHeaders[i]}: ${answer.rawHeaders[i + 1]}`)
  return `${lines.join('\r\n')}\r\n\r\n`
}
