import http, { type IncomingMessage } from 'node:http'
import https from 'node:https'
import { type Duplex, pipeline } from 'node:stream'
import { resolver } from '../../data/network.ts'
import type { Delivery } from '../delivery.ts'
import type { HostEntry } from '../snapshot.ts'
import { TooSlow } from './behind.ts'
import { DOOR_TIMEOUT_MS, originBehind, pathOf } from './door.ts'
import { endToEnd } from './headers.ts'

/** A connection that becomes another protocol (WebSocket, RFC 6455 §4): both sides are joined and left alone. */
export function upgradeDoor(delivery: Delivery, entry: HostEntry, request: IncomingMessage, socket: Duplex, head: Buffer): void {
  const origin = originBehind(entry)
  const path = pathOf(request)
  if (origin === null || path === null) return void socket.end('HTTP/1.1 502 Bad Gateway\r\nConnection: close\r\nContent-Length: 0\r\n\r\n')
  const isSecure = origin.protocol === 'https:'
  const headers = endToEnd(request.headers)
  const outgoing = (isSecure ? https : http).request({
    protocol: origin.protocol,
    hostname: origin.hostname,
    port: origin.port === '' ? (isSecure ? 443 : 80) : Number(origin.port),
    path,
    method: request.method,
    lookup: resolver(entry.site.setup.mayVisitPrivate === true),
    agent: false,
    headers: {
      ...headers,
      host: origin.host,
      connection: 'Upgrade',
      upgrade: request.headers.upgrade,
      'x-forwarded-for': delivery.visitors.addressOf(request),
      'x-forwarded-host': request.headers.host,
    },
  })
  const timer = setTimeout(() => outgoing.destroy(new TooSlow()), delivery.doorTimeoutMs ?? DOOR_TIMEOUT_MS)
  const status = (answer: IncomingMessage): string => {
    const lines = [`HTTP/1.1 ${answer.statusCode} ${answer.statusMessage}`]
    for (let i = 0; i < answer.rawHeaders.length; i += 2) lines.push(`${answer.rawHeaders[i]}: ${answer.rawHeaders[i + 1]}`)
    return `${lines.join('\r\n')}\r\n\r\n`
  }
  outgoing.on('upgrade', (answer, other, first) => {
    clearTimeout(timer)
    other.on('error', () => socket.destroy())
    socket.write(status(answer))
    if (first.length > 0) socket.write(first)
    if (head.length > 0) other.write(head)
    pipeline(socket, other, () => other.destroy())
    pipeline(other, socket, () => socket.destroy())
  })
  outgoing.on('response', (answer) => {
    clearTimeout(timer)
    socket.write(status(answer))
    pipeline(answer, socket, () => socket.destroy())
  })
  outgoing.on('error', () => {
    clearTimeout(timer)
    if (socket.writable) socket.end('HTTP/1.1 502 Bad Gateway\r\nConnection: close\r\nContent-Length: 0\r\n\r\n')
  })
  socket.on('error', () => outgoing.destroy())
  socket.on('close', () => outgoing.destroy())
  outgoing.end()
}
