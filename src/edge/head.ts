/** What an address is answered by, of a request whose head came in one piece and says nothing unusual. */
export interface QuickRequest {
  readonly method: 'GET' | 'HEAD'
  /** Path and query as sent; begins with "/". */
  readonly url: string
  readonly headers: QuickHeaders
  readonly socket: { readonly remoteAddress?: string | undefined }
}

/** The headers that answers by short links and redirects depend on, as `IncomingMessage` names them. */
const ASKED_FOR = [
  'host',
  'user-agent',
  'accept-language',
  'referer',
  'sec-purpose',
  'purpose',
  'x-moz',
  'x-forwarded-for',
  'x-forwarded-proto',
] as const
type AskedFor = (typeof ASKED_FOR)[number]
export type QuickHeaders = { -readonly [Name in AskedFor]?: string | undefined }

/** Whoever sends one of these wants more than a plain answer. */
const UNUSUAL = new Set(['content-length', 'transfer-encoding', 'upgrade', 'expect', 'trailer', 'te', 'http2-settings', 'proxy-connection'])

/** Node's own limit of a head. */
const HEAD_MAX_CHARS = 16 * 1024
const HEAD_END = '\r\n\r\n'
const NAME = /^[!#$%&'*+\-.^_`|~0-9a-z]+$/
/** Anything but visible ASCII, blanks, and line ends of both characters. */
const ODD = /[^\t\x20-\x7e\r\n]|\r(?!\n)|(?<!\r)\n/

const asked = new Set<string>(ASKED_FOR)
const isAskedFor = (name: string): name is AskedFor => asked.has(name)

/**
 * Reads the head of a request (RFC 9112 §2.1) where it is as plain as nearly all are: one GET or HEAD of HTTP/1.1, by its path,
 * without a body, on a connection that stays, in visible ASCII, with one Host.
 * @param text - all that has come on the connection and is not answered yet, a byte a character
 * @returns null where anything is otherwise, or not all there: that is for a full parser. Never throws.
 */
export function readQuickHead(text: string, socket: QuickRequest['socket']): QuickRequest | null {
  const end = text.length - HEAD_END.length
  if (end < 0 || text.length > HEAD_MAX_CHARS || text.indexOf(HEAD_END) !== end || ODD.test(text)) return null
  const firstEnd = text.indexOf('\r\n')
  const method = text.startsWith('GET /') ? 'GET' : text.startsWith('HEAD /') ? 'HEAD' : null
  if (method === null || !text.startsWith(' HTTP/1.1', firstEnd - 9)) return null
  const url = text.slice(method.length + 1, firstEnd - 9)
  if (/[\s#]/.test(url)) return null
  const headers: QuickHeaders = {}
  for (let at = firstEnd + 2; at < end + 2; ) {
    const lineEnd = text.indexOf('\r\n', at)
    const colon = text.indexOf(':', at)
    if (colon === -1 || colon > lineEnd) return null
    const name = text.slice(at, colon).toLowerCase()
    const value = text.slice(colon + 1, lineEnd).trim()
    if (isAskedFor(name)) {
      if (headers[name] !== undefined) return null
      headers[name] = value
    } else if (!NAME.test(name) || UNUSUAL.has(name) || (name === 'connection' && value.toLowerCase() !== 'keep-alive')) return null
    at = lineEnd + 2
  }
  return headers.host === undefined ? null : { method, url, headers, socket }
}
