import { hash } from 'node:crypto'
import type { IncomingHttpHeaders, IncomingMessage, OutgoingHttpHeaders } from 'node:http'
import type { Door } from './door.ts'

/** Headers by name in lower case; several of one name as a list. Values are one character a byte. */
export type Headers = Record<string, string | string[] | undefined>

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
/** By what a request tells that it has been through a front door of Map Rope (RFC 9110 §7.6.3, "Via"): one name a door. */
const SIGN = /\bmap-rope-[0-9a-f]{12}\b/
const signs = new Map<string, string>()
/** Signs kept; the hosts of one installation are few. */
const SIGNS_MAX = 1_000
export function signOf(node: string, host: string): string {
  const key = `${node} ${host}`
  const known = signs.get(key)
  if (known !== undefined) return known
  if (signs.size >= SIGNS_MAX) signs.clear()
  const sign = `map-rope-${hash('sha256', key).slice(0, 12)}`
  signs.set(key, sign)
  return sign
}
/** Tells whether a request has been through the very door of this sign (RFC 5842 §7.2). */
export const isRing = ({ headers: { via } }: IncomingMessage, sign: string): boolean => via !== undefined && String(via).includes(sign)
/** Tells whether a request came through any front door. */
export const cameThroughDoor = ({ headers }: IncomingMessage): boolean => headers.via !== undefined && SIGN.test(String(headers.via))

/** Tells whether a header belongs to one connection alone. @param name - in any case */
export const isOfOneHop = (name: string): boolean => HOP_BY_HOP.has(name.toLowerCase())
/** Of a page that is rewritten: they speak of bytes that are no longer sent. */
const OF_THE_BYTES = ['content-length', 'content-md5', 'digest', 'content-digest', 'repr-digest', 'accept-ranges', 'last-modified']
export const CODINGS = ['gzip', 'deflate', 'br'] as const
export type Coding = (typeof CODINGS)[number]

/** Headers without a prototype: a header may be called `__proto__`, and goes through like any other. */
const bare = (): Headers => Object.create(null) as Headers

/** The value of a header; of several the first. */
export function headerValue(headers: Headers | OutgoingHttpHeaders, name: string): string | undefined {
  const value = headers[name]
  return Array.isArray(value) ? value[0] : typeof value === 'number' ? String(value) : value
}

/** Reads headers as they came, name and value by turns. */
export function readHeaders(raw: readonly (Buffer | string)[]): Headers {
  const headers = bare()
  for (let i = 0; i + 1 < raw.length; i += 2) {
    const name = raw[i]?.toString('latin1').toLowerCase() ?? ''
    const value = raw[i + 1]?.toString('latin1') ?? ''
    const before = headers[name]
    headers[name] = before === undefined ? value : Array.isArray(before) ? [...before, value] : [before, value]
  }
  return headers
}

/** Headers but for those that belong to one connection, by name or by the connection's own word. */
export function endToEnd(headers: IncomingHttpHeaders | Headers): Headers {
  const named =
    headers.connection === undefined
      ? []
      : String(headers.connection)
          .toLowerCase()
          .split(/[\s,]+/)
  const kept = bare()
  for (const name in headers) {
    const value = headers[name]
    if (value !== undefined && !HOP_BY_HOP.has(name) && !named.includes(name)) kept[name] = value
  }
  return kept
}

/** What the site behind the door is sent: everything that is not this connection's, and who really asks. */
export function headersFor({ delivery, host, origin, stamp, sign }: Door, request: IncomingMessage): Headers {
  const headers = endToEnd(readHeaders(request.rawHeaders))
  const peer = delivery.visitors.addressOf(request)
  const isTrusted = peer !== (request.socket.remoteAddress ?? '')
  headers.host = origin.host
  headers['x-forwarded-for'] = isTrusted ? request.headers['x-forwarded-for'] : peer
  headers['x-forwarded-host'] = request.headers.host ?? host
  headers['x-forwarded-proto'] = delivery.visitors.protocolOf(request)
  delete headers.forwarded
  delete headers['x-real-ip'] // a client's own word
  delete headers.expect // answered here already
  headers.via = [request.headers.via, `1.1 ${sign}`].filter((each) => each !== undefined && each !== '').join(', ')
  headers['accept-encoding'] = acceptable(request.headers['accept-encoding'])
  const known = request.headers['if-none-match']
  if (known !== undefined) {
    // Tags of ours that other rules have made are of another page; the site behind knows its own.
    const tags = known.split(',').flatMap((tag) => originTag(tag.trim(), stamp) ?? [])
    if (tags.length > 0) headers['if-none-match'] = tags.join(', ')
    else delete headers['if-none-match']
    delete headers['if-modified-since']
  }
  if (String(request.headers['if-range'] ?? '').includes('-mr')) {
    delete headers.range
    delete headers['if-range']
  }
  return headers
}

/** Of the codings a client takes, those that can be opened here. */
function acceptable(header: string | string[] | undefined): string {
  if (header === undefined) return 'identity'
  const wanted = String(header)
    .toLowerCase()
    .split(',')
    .map((each) => each.trim())
  const kept = wanted.filter(
    (each) => CODINGS.some((coding) => each === coding || each.startsWith(`${coding};`)) && !/;\s*q=0(?:\.0*)?$/.test(each),
  )
  return kept.length === 0 ? 'identity' : kept.join(', ')
}

export const isHtml = (headers: Headers): boolean => /^\s*text\/html\s*(?:;|$)/i.test(headerValue(headers, 'content-type') ?? '')

/** How a body is packed; "unknown" where it cannot be opened here. */
export function codingOf(headers: Headers): Coding | null | 'unknown' {
  const coding = (headerValue(headers, 'content-encoding') ?? '').trim().toLowerCase().replace(/^x-/, '')
  if (coding === '' || coding === 'identity') return null
  return CODINGS.find((each) => each === coding) ?? 'unknown'
}

/**
 * What a client is sent of the headers that came from the site behind.
 * @param rewrites - the body is a page that gets our marks
 */
export function headersBack(door: Door, request: IncomingMessage, status: number, came: Headers, rewrites: boolean): Headers {
  const headers = endToEnd(came)
  mapAddresses(door, headers)
  if (rewrites) for (const name of OF_THE_BYTES) delete headers[name]
  const tag = headerValue(headers, 'etag')
  // A page with our marks is not the page its strong tag speaks of; a 304 answers a tag of ours with one of ours.
  const answersOurs = status === 304 && request.headers['if-none-match']?.includes(door.stamp) === true
  if (tag !== undefined && (rewrites || answersOurs)) headers.etag = doorTag(tag, door.stamp)
  return headers
}

/** Addresses in headers that name the site behind the door lead to the door. */
function mapAddresses({ origin, path, publicOrigin, host }: Door, headers: Headers): void {
  const map = (address: string): string => {
    const asked = URL.canParse(path, origin) ? new URL(path, origin) : origin
    const url = URL.canParse(address, asked) ? new URL(address, asked) : null
    const isNamed = /^(?:[a-z][a-z0-9+.-]*:)?\/\//i.test(address)
    return url !== null && isNamed && url.host === origin.host ? publicOrigin + url.pathname + url.search + url.hash : address
  }
  for (const name of ['location', 'content-location']) {
    const value = headerValue(headers, name)
    if (value !== undefined) headers[name] = map(value)
  }
  const refresh = headerValue(headers, 'refresh')
  if (refresh !== undefined)
    headers.refresh = refresh.replace(
      /(url\s*=\s*)(['"]?)([^'"]+)\2/i,
      (_, before: string, quote: string, address: string) => `${before}${quote}${map(address)}${quote}`,
    )
  const cookies = headers['set-cookie']
  if (cookies !== undefined)
    headers['set-cookie'] = [cookies]
      .flat()
      .map((cookie) =>
        cookie.replace(/;\s*domain\s*=\s*\.?([^;\s]+)/i, (whole, domain: string) =>
          isSiteOf(origin.hostname, domain) ? `; Domain=${host}` : whole,
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
