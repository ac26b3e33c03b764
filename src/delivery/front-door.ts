import http, { type IncomingHttpHeaders, type IncomingMessage, type OutgoingHttpHeaders, type ServerResponse } from 'node:http'
import https from 'node:https'
import { type Duplex, pipeline, Transform } from 'node:stream'
import { constants, createBrotliCompress, createBrotliDecompress, createDeflate, createGunzip, createGzip, createInflate } from 'node:zlib'
import { sniffEncoding } from '../core/markup/index.ts'
import { originOf, type RuleStream, ruleStream } from '../core/rules/index.ts'
import { isPrivateAddress, OutOfBounds, resolver } from '../data/network.ts'
import type { Delivery } from './delivery.ts'
import { PassedPages } from './passed-pages.ts'
import { room } from './room.ts'
import { say } from './say.ts'
import type { CompiledSnapshot, HostEntry } from './snapshot.ts'

/** The site behind the door has this long to begin its answer. */
export const DOOR_TIMEOUT_MS = 30_000
/** Bytes looked at for a page's encoding (HTML, "prescan a byte stream"). */
const SNIFF_BYTES = 1_024
/** A byte order mark has three at most. */
const MARK_BYTES = 3
/** Connections kept open to one site: opening one costs more than a page. */
const AGENT_OPTIONS = { keepAlive: true, maxSockets: 256, maxFreeSockets: 64 } as const
const makeAgents = () => ({ 'http:': new http.Agent(AGENT_OPTIONS), 'https:': new https.Agent(AGENT_OPTIONS) })
/** Kept apart: a connection into a private network that one site may have must never serve another. */
const agents = { anywhere: makeAgents(), outside: makeAgents() }

/** Headers that belong to one connection and go no further (RFC 9110 §7.6.1). */
const HOP_BY_HOP = new Set([
  'connection',
  'keep-alive',
  'proxy-connection',
  'proxy-authenticate',
  'proxy-authorization',
  'te',
  'trailer',
  'transfer-encoding',
  'upgrade',
])
/** Of a page that is rewritten: they speak of bytes that are no longer sent. */
const OF_THE_BYTES = ['content-length', 'content-md5', 'digest', 'content-digest', 'repr-digest', 'accept-ranges', 'last-modified']
const CODINGS = ['gzip', 'deflate', 'br'] as const
type Coding = (typeof CODINGS)[number]

/**
 * Answers a request by asking the site behind the door. Pages stream through with the rules applied; everything else goes
 * through as it is. What is held of a page never grows with it.
 */
export function frontDoor(
  delivery: Delivery,
  snapshot: CompiledSnapshot,
  entry: HostEntry,
  host: string,
  request: IncomingMessage,
  response: ServerResponse,
): void {
  const target = targetOf(entry, request)
  if (target === null) return say(response, 502, 'The site behind this address is not set up rightly.', request.method)
  const door: Door = {
    delivery,
    snapshot,
    entry,
    host,
    target,
    publicOrigin: originOf(host, Number(request.socket.localPort)),
    stamp: `-mr${snapshot.version}`,
  }
  ask(door, request, response, headersFor(door, request))
}

interface Door {
  readonly delivery: Delivery
  readonly snapshot: CompiledSnapshot
  readonly entry: HostEntry
  readonly host: string
  readonly target: URL
  readonly publicOrigin: string
  /** Ends the entity tags of rewritten pages: other rules make another page. */
  readonly stamp: string
}

/** The request's path on the site behind the door; null where that site's address is none we may ask. */
function targetOf({ origin, site }: HostEntry, { url = '/' }: IncomingMessage): URL | null {
  if (origin === null || !/^https?:$/.test(origin.protocol)) return null
  if (site.setup.mayVisitPrivate !== true && isPrivateAddress(origin.hostname)) return null
  return URL.canParse(url, origin.origin) ? new URL(url.startsWith('/') ? origin.origin + url : url, origin.origin) : null
}

function ask(door: Door, request: IncomingMessage, response: ServerResponse, headers: OutgoingHttpHeaders, isWhole = false): void {
  const { target, entry, delivery } = door
  const isSecure = target.protocol === 'https:'
  let isOver = false
  const outgoing = (isSecure ? https : http).request({
    protocol: target.protocol,
    hostname: target.hostname,
    port: target.port === '' ? (isSecure ? 443 : 80) : Number(target.port),
    // As it was asked for: the other site may read its paths in its own way.
    path: request.url?.startsWith('/') === true ? request.url : target.pathname + target.search,
    method: request.method,
    headers,
    agent: agents[entry.site.setup.mayVisitPrivate === true ? 'anywhere' : 'outside'][isSecure ? 'https:' : 'http:'],
    lookup: resolver(entry.site.setup.mayVisitPrivate === true),
  })
  const timer = setTimeout(() => outgoing.destroy(new TooSlow()), delivery.doorTimeoutMs ?? DOOR_TIMEOUT_MS)
  outgoing.on('response', (answer) => {
    clearTimeout(timer)
    if (answer.statusCode === 206 && isHtml(answer.headers) && !isWhole) {
      // A piece of a page cannot be rewritten: the whole of it is asked for, and answers in its place (RFC 9110 §14.2).
      answer.destroy()
      const { range: _r, 'if-range': _i, ...rest } = headers
      return ask(door, request, response, rest, true)
    }
    isOver = true
    pass(door, request, response, answer)
  })
  outgoing.on('error', (error: NodeJS.ErrnoException) => {
    clearTimeout(timer)
    if (response.destroyed || isOver) return void response.destroy()
    if (!response.headersSent) {
      const isSlow = error instanceof TooSlow
      if (!isSlow)
        delivery.log.warn(
          { host: door.host, code: error.code, outOfBounds: error instanceof OutOfBounds },
          'the site behind a front door does not answer',
        )
      say(
        response,
        isSlow ? 504 : 502,
        isSlow
          ? 'This site is taking too long to answer. Please try again in a moment.'
          : 'This site does not answer at the moment. Please try again soon.',
        request.method,
        { 'Retry-After': '10' },
      )
    } else response.destroy()
  })
  // Whoever asked is gone: nobody needs the answer any more.
  response.on('close', () => {
    clearTimeout(timer)
    if (!response.writableFinished) outgoing.destroy()
  })
  const hasBody = request.headers['content-length'] !== undefined || request.headers['transfer-encoding'] !== undefined
  if (isWhole || !hasBody) outgoing.end()
  else request.pipe(outgoing)
  request.on('aborted', () => outgoing.destroy())
}
class TooSlow extends Error {}

/** What the site behind the door is sent: everything that is not this connection's, and who really asks. */
function headersFor({ delivery, host, target, stamp }: Door, request: IncomingMessage): OutgoingHttpHeaders {
  const headers = endToEnd(request.headers)
  const peer = delivery.visitors.addressOf(request)
  const isTrusted = peer !== (request.socket.remoteAddress ?? '')
  headers.host = target.host
  headers['x-forwarded-for'] = isTrusted ? request.headers['x-forwarded-for'] : peer
  headers['x-forwarded-host'] = request.headers.host ?? host
  headers['x-forwarded-proto'] = (isTrusted ? request.headers['x-forwarded-proto'] : undefined) ?? 'http'
  delete headers.forwarded
  delete headers.expect // answered here already
  headers.via = [headers.via, '1.1 map-rope'].filter((each) => each !== undefined && each !== '').join(', ')
  headers['accept-encoding'] = acceptable(request.headers['accept-encoding'])
  const known = request.headers['if-none-match']
  if (known !== undefined) {
    // Tags of ours that other rules have made are of another page; the site behind knows its own.
    const tags = known.split(',').flatMap((tag) => originTag(tag.trim(), stamp) ?? [])
    if (tags.length > 0) headers['if-none-match'] = tags.join(', ')
    else delete headers['if-none-match']
    delete headers['if-modified-since']
  }
  const range = request.headers['if-range']
  if (range?.includes('-mr') === true) {
    delete headers.range
    delete headers['if-range']
  }
  return headers
}

/** Headers but for those that belong to one connection, by name or by the connection's own word. */
function endToEnd(headers: IncomingHttpHeaders): OutgoingHttpHeaders {
  const named = new Set((headers.connection ?? '').split(',').map((name) => name.trim().toLowerCase()))
  return Object.fromEntries(
    Object.entries(headers).filter(([name, value]) => value !== undefined && !HOP_BY_HOP.has(name) && !named.has(name)),
  )
}

/** Of the codings a client takes, those that can be opened here. */
function acceptable(header: string | string[] | undefined): string {
  const wanted = String(header ?? '')
    .toLowerCase()
    .split(',')
    .map((each) => each.trim())
  const kept = wanted.filter(
    (each) => CODINGS.some((coding) => each === coding || each.startsWith(`${coding};`)) && !/;\s*q=0(?:\.0*)?$/.test(each),
  )
  return kept.length === 0 ? 'identity' : kept.join(', ')
}

const isHtml = (headers: IncomingHttpHeaders): boolean => /^\s*text\/html\s*(?:;|$)/i.test(headers['content-type'] ?? '')

function pass(door: Door, request: IncomingMessage, response: ServerResponse, answer: IncomingMessage): void {
  const status = answer.statusCode ?? 502
  const headers = endToEnd(answer.headers)
  mapAddresses(door, headers)
  const coding = codingOf(answer.headers['content-encoding'])
  const rewrites = isHtml(answer.headers) && coding !== 'unknown' && status !== 206
  if (rewrites) for (const name of OF_THE_BYTES) delete headers[name]
  const tag = headers.etag
  // A page with our marks is not the page its strong tag speaks of; a 304 answers a tag of ours with one of ours.
  if (typeof tag === 'string' && (rewrites || (status === 304 && request.headers['if-none-match']?.includes(door.stamp) === true)))
    headers.etag = doorTag(tag, door.stamp)
  response.statusCode = status
  response.statusMessage = answer.statusMessage ?? ''
  for (const name in headers) {
    const value = headers[name]
    if (value !== undefined) response.setHeader(name, value)
  }
  const hasBody = request.method !== 'HEAD' && status !== 204 && status !== 304
  if (!hasBody) {
    answer.resume()
    response.end()
    return
  }
  const done = (error: NodeJS.ErrnoException | null | undefined): void => {
    if (error === null || error === undefined) return
    if (error.code !== 'ERR_STREAM_PREMATURE_CLOSE')
      door.delivery.log.warn({ host: door.host, err: error }, 'a page broke off at the front door')
    response.destroy()
  }
  if (!rewrites) return void pipeline(answer, response, done)
  if (coding === null && Number(answer.headers['content-length'] ?? Number.POSITIVE_INFINITY) <= SMALL_BYTES)
    return passSmallPage(door, request, response, answer, done)
  const rewriter = new PageRewriter(door, request, answer.headers['content-type'] ?? '')
  if (coding !== null) return void pipeline(answer, unpacker(coding), rewriter.transform(), packer(coding), response, done)
  passPage(answer, rewriter, response, done)
}

/** A page that nobody packed: by hand, since a chain of streams costs more than rewriting does. */
function passPage(answer: IncomingMessage, rewriter: PageRewriter, response: ServerResponse, done: (error: Error) => void): void {
  const send = (error: Error | null, bytes: Buffer = Buffer.alloc(0)): void => {
    if (error !== null) return done(error)
    if (bytes.length > 0 && !response.write(bytes)) {
      answer.pause()
      response.once('drain', () => answer.resume())
    }
  }
  answer.on('data', (chunk: Buffer) => hand(send, () => rewriter.push(chunk)))
  answer.on('end', () =>
    hand(
      (error, rest) => (error === null ? response.end(rest) : done(error)),
      () => rewriter.end(),
    ),
  )
  endTogether(answer, response, done)
}

function endTogether(answer: IncomingMessage, response: ServerResponse, done: (error: Error) => void): void {
  answer.on('error', done)
  answer.on('aborted', () => response.destroy())
  response.on('close', () => answer.destroy())
}

/** A page this small is waited for and sent in one piece, with its length. */
const SMALL_BYTES = 64 * 1024
const passed = new WeakMap<CompiledSnapshot, PassedPages>()

function passSmallPage(
  door: Door,
  request: IncomingMessage,
  response: ServerResponse,
  answer: IncomingMessage,
  done: (error: Error) => void,
): void {
  const chunks: Buffer[] = []
  answer.on('data', (chunk: Buffer) => chunks.push(chunk))
  answer.on('end', () => {
    const before = whole(chunks)
    const pages = passed.get(door.snapshot) ?? new PassedPages()
    passed.set(door.snapshot, pages)
    const type = answer.headers['content-type'] ?? ''
    const key = `${door.host} ${request.url ?? ''} ${type}`
    const work = (): Buffer => {
      const rewriter = new PageRewriter(door, request, type)
      const made = Buffer.concat([rewriter.push(before), rewriter.end()])
      pages.keep(key, before, made)
      return made
    }
    hand(
      (error, after = before) => {
        if (error !== null) return done(error)
        response.setHeader('Content-Length', after.length)
        response.end(after)
      },
      () => pages.get(key, before) ?? work(),
    )
  })
  endTogether(answer, response, done)
}

function codingOf(header: string | undefined): Coding | null | 'unknown' {
  const coding = (header ?? '').trim().toLowerCase().replace(/^x-/, '')
  if (coding === '' || coding === 'identity') return null
  return CODINGS.find((each) => each === coding) ?? 'unknown'
}

/** Flushed as they go, so that a page that comes slowly is seen slowly and not late. */
const FLUSH = { flush: constants.Z_SYNC_FLUSH }
function unpacker(coding: Coding): Transform {
  if (coding === 'gzip') return createGunzip(FLUSH)
  return coding === 'br' ? createBrotliDecompress() : createInflate(FLUSH)
}
function packer(coding: Coding): Transform {
  if (coding === 'gzip') return createGzip({ level: 4, ...FLUSH })
  if (coding === 'deflate') return createDeflate({ level: 4, ...FLUSH })
  return createBrotliCompress({ flush: constants.BROTLI_OPERATION_FLUSH, params: { [constants.BROTLI_PARAM_QUALITY]: 3 } })
}

/** A page on its way through: its encoding is told by the header, or found in its first bytes, then the rules are applied. */
class PageRewriter {
  readonly #door: Door
  readonly #path: string
  readonly #said: string | undefined
  #stream: RuleStream | null = null
  #first: Buffer[] = []
  #waiting = 0

  constructor(door: Door, { url = '/' }: IncomingMessage, contentType: string) {
    this.#door = door
    this.#path = url.split('?')[0] ?? '/'
    this.#said = /charset\s*=\s*"?([^\s;"]+)/i.exec(contentType)?.[1]
  }

  push(chunk: Buffer): Buffer {
    if (this.#stream !== null) return whole(this.#stream.push(chunk))
    this.#first.push(chunk)
    this.#waiting += chunk.length
    if (this.#waiting < (this.#said === undefined ? SNIFF_BYTES : MARK_BYTES)) return Buffer.alloc(0)
    return this.#begin()
  }

  end(): Buffer {
    const head = this.#stream === null ? this.#begin() : null
    const rest = whole(this.#stream?.end() ?? [])
    return head === null ? rest : Buffer.concat([head, rest])
  }

  transform(): Transform {
    return new Transform({
      transform: (chunk: Buffer, _encoding, next) => hand(next, () => this.push(chunk)),
      flush: (next) => hand(next, () => this.end()),
    })
  }

  #begin(): Buffer {
    const { site } = this.#door.entry
    const head = this.#first.length === 1 ? (this.#first[0] ?? Buffer.alloc(0)) : Buffer.concat(this.#first)
    this.#first = []
    const around = site.around(this.#path, { origin: this.#door.publicOrigin })
    this.#stream = ruleStream(site.rules, around, site.findShortLink, encodingOf(this.#said, head), room)
    return whole(this.#stream.push(head))
  }
}

/** Whatever is wrong with a page breaks off that page, and nothing else. */
function hand(next: (error: Error | null, bytes?: Buffer) => void, work: () => Buffer): void {
  let bytes: Buffer
  try {
    bytes = work()
  } catch (error) {
    return next(error instanceof Error ? error : new Error(String(error)))
  }
  next(null, bytes)
}

/** In one piece: each that is sent has its price. */
const whole = (pieces: readonly Uint8Array[]): Buffer => {
  const [only] = pieces
  return pieces.length === 1 && only !== undefined ? Buffer.from(only.buffer, only.byteOffset, only.length) : Buffer.concat(pieces)
}

/** A byte order mark beats the header, which beats what the page says of itself (HTML, "determining the character encoding"). */
function encodingOf(said: string | undefined, head: Uint8Array): string {
  const marked = sniffEncoding(head.subarray(0, MARK_BYTES))
  if (marked.source === 'byte order mark') return marked.encoding
  return (said === undefined ? null : labelled(said)) ?? sniffEncoding(head).encoding
}

/** The encoding's name by the Encoding standard; null for a label that nobody knows. */
function labelled(label: string): string | null {
  if (label.toLowerCase() === 'utf-8') return 'utf-8'
  try {
    return new TextDecoder(label).encoding
  } catch {
    return null
  }
}

/** Addresses in headers that name the site behind the door lead to the door. */
function mapAddresses({ target, publicOrigin, host }: Door, headers: OutgoingHttpHeaders): void {
  const map = (address: string): string => {
    const url = URL.canParse(address, target) ? new URL(address, target) : null
    const isNamed = /^(?:[a-z][a-z0-9+.-]*:)?\/\//i.test(address)
    return url !== null && isNamed && url.host === target.host ? publicOrigin + url.pathname + url.search + url.hash : address
  }
  for (const name of ['location', 'content-location']) {
    const value = headers[name]
    if (typeof value === 'string') headers[name] = map(value)
  }
  const { refresh } = headers
  if (typeof refresh === 'string')
    headers.refresh = refresh.replace(
      /(url\s*=\s*)(['"]?)([^'"]+)\2/i,
      (_, before: string, quote: string, address: string) => `${before}${quote}${map(address)}${quote}`,
    )
  const cookies = headers['set-cookie']
  if (Array.isArray(cookies))
    headers['set-cookie'] = cookies.map((cookie) =>
      cookie.replace(/;\s*domain\s*=\s*\.?([^;\s]+)/i, (whole, domain: string) =>
        isSiteOf(target.hostname, domain) ? `; Domain=${host}` : whole,
      ),
    )
}
const isSiteOf = (host: string, domain: string): boolean => host === domain.toLowerCase() || host.endsWith(`.${domain.toLowerCase()}`)

/** A weak tag that knows under which rules it was made, and whether the one behind it was strong. */
const doorTag = (tag: string, stamp: string): string => {
  const isWeak = tag.startsWith('W/')
  const opaque = tag.replace(/^W\//, '').replace(/^"|"$/g, '')
  return `W/"${opaque}${isWeak ? '-w' : '-s'}${stamp}"`
}
/** The tag of the site behind the door; null for one of ours that was made under other rules. */
function originTag(tag: string, stamp: string): string | null {
  const ours = /^W\/"(.*)-([ws])(-mr\d+)"$/.exec(tag)
  if (ours === null) return tag
  return ours[3] === stamp ? `${ours[2] === 'w' ? 'W/' : ''}"${ours[1]}"` : null
}

/** A connection that becomes another protocol (WebSocket, RFC 6455 §4): both sides are joined and left alone. */
export function upgradeDoor(delivery: Delivery, entry: HostEntry, request: IncomingMessage, socket: Duplex, head: Buffer): void {
  const target = targetOf(entry, request)
  if (target === null) return void socket.end('HTTP/1.1 502 Bad Gateway\r\nConnection: close\r\nContent-Length: 0\r\n\r\n')
  const isSecure = target.protocol === 'https:'
  const headers = endToEnd(request.headers)
  const outgoing = (isSecure ? https : http).request({
    protocol: target.protocol,
    hostname: target.hostname,
    port: target.port === '' ? (isSecure ? 443 : 80) : Number(target.port),
    path: request.url,
    method: request.method,
    lookup: resolver(entry.site.setup.mayVisitPrivate === true),
    agent: false,
    headers: {
      ...headers,
      host: target.host,
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
