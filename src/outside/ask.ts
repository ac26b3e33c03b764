import http from 'node:http'
import https from 'node:https'
import type { TLSSocket } from 'node:tls'
import { type InsideAllowed, isOutOfBounds } from '../core/address/index.ts'
import type { AskFault } from '../core/checks/index.ts'
import { fail, ok, type Result } from '../core/result.ts'
import { OutOfBounds, resolver } from './resolve.ts'
import { unpackedStart } from './unpack.ts'

const IDLE_MS = 8_000
/** Enough of a page for its title. */
export const READ_MAX_BYTES = 256 * 1024
const AGENT = 'Mozilla/5.0 (compatible; MapRope/1; link check)'
/** A head that is longer is not read: bytes, all its fields together. */
const HEAD_MAX_BYTES = 64 * 1024

/** An answer has this long to be all there, unless somebody allows more. */
export const ANSWER_MS = 15_000
/** Within each stretch of this length this much of an answer must come: a site that drips holds nobody for long. */
const STRETCH_MS = 5_000
const STRETCH_BYTES = 1_024

/** How an address is asked, where that is not as for a reader who wants the page. */
export interface Asking {
  readonly method?: 'GET' | 'HEAD'
  readonly maxBytes?: number
  /** Until the answer is all there, however it comes. */
  readonly totalMs?: number
  /** For so long nothing may come. */
  readonly idleMs?: number
  /** Who asks: the value of `User-Agent`. */
  readonly agent?: string
  /** What is known of an answer from before: `If-None-Match` and `If-Modified-Since` (RFC 9110 §13.1). */
  readonly known?: Validators
}

export interface Validators {
  readonly etag: string | null
  readonly modified: string | null
}

/** What one address answered. */
export interface Answer extends Validators {
  readonly status: number
  readonly location: string | null
  /** `Content-Type` as it was sent; "" where it was not. */
  readonly type: string
  /** As much of it as was wanted. */
  readonly body: Buffer
  /** The body is all there. */
  readonly isWhole: boolean
  /** `Retry-After` as it was sent. */
  readonly retryAfter: string | null
  /** Until when the certificate is good (ISO 8601); null without one. */
  readonly certificateEnds: string | null
}

/** Given to a request that is ended from here. */
class GivenUp extends Error {
  readonly fault: AskFault

  constructor(fault: AskFault) {
    super(fault)
    this.fault = fault
  }
}

/** Asks one address, follows nothing. Private networks are out of bounds at the address that is connected to. Never throws. */
export async function askOutside(url: URL, insideAllowed: InsideAllowed, asking: Asking = {}): Promise<Result<Answer, AskFault>> {
  try {
    return ok(await asked(url, insideAllowed, asking))
  } catch (error) {
    return fail(faultOf(error))
  }
}

function asked(
  url: URL,
  insideAllowed: InsideAllowed,
  { method = 'GET', maxBytes = READ_MAX_BYTES, totalMs = ANSWER_MS, idleMs = IDLE_MS, agent = AGENT, known }: Asking,
): Promise<Answer> {
  if (isOutOfBounds(url.hostname, insideAllowed)) return Promise.reject(new OutOfBounds('private-network'))
  return new Promise((resolved, rejected) => {
    const total = setTimeout(() => request.destroy(new GivenUp('not-in-time')), totalMs)
    let size = 0
    let before = 0
    const stretch = setInterval(() => {
      if (size > 0 && size - before < STRETCH_BYTES) request.destroy(new GivenUp('too-slow'))
      before = size
    }, STRETCH_MS)
    const over = (): void => {
      clearTimeout(total)
      clearInterval(stretch)
    }
    const resolve = (answer: Answer): void => {
      over()
      resolved(answer)
    }
    const reject = (error: unknown): void => {
      over()
      rejected(error)
    }
    const request = (url.protocol === 'https:' ? https : http).request(
      url,
      {
        method,
        lookup: resolver(insideAllowed),
        agent: false, // a connection kept from an allowed visit would not be looked up again
        timeout: idleMs,
        maxHeaderSize: HEAD_MAX_BYTES,
        headers: {
          'User-Agent': agent,
          Accept: 'text/html,*/*;q=0.8',
          'Accept-Encoding': 'identity',
          ...(known?.etag == null ? {} : { 'If-None-Match': known.etag }),
          ...(known?.modified == null ? {} : { 'If-Modified-Since': known.modified }),
        },
      },
      (response) => {
        const chunks: Buffer[] = []
        const { headers } = response
        const certificateEnds = endOfCertificate(response.socket)
        const done = (isWhole: boolean): void =>
          void unpackedStart(Buffer.concat(chunks), headers['content-encoding'], maxBytes).then(
            (body) =>
              resolve({
                status: response.statusCode ?? 0,
                location: headers.location ?? null,
                type: headers['content-type'] ?? '',
                body,
                isWhole,
                etag: headers.etag ?? null,
                modified: headers['last-modified'] ?? null,
                retryAfter: headers['retry-after'] ?? null,
                certificateEnds,
              }),
            reject,
          )
        response.on('data', (chunk: Buffer) => {
          chunks.push(chunk)
          size += chunk.length
          if (size >= maxBytes) {
            done(false)
            response.destroy()
          }
        })
        response.on('end', () => done(true))
        response.on('error', reject)
        response.on('close', () => {
          if (!response.complete && size < maxBytes) reject(new GivenUp('broke-off'))
        })
      },
    )
    request.on('timeout', () => request.destroy(new GivenUp('not-in-time')))
    request.on('error', reject)
    request.end()
  })
}

function endOfCertificate(socket: object): string | null {
  if (!('getPeerCertificate' in socket)) return null
  const ends = Date.parse((socket as TLSSocket).getPeerCertificate().valid_to ?? '')
  return Number.isNaN(ends) ? null : new Date(ends).toISOString()
}

/** Names that OpenSSL gives to what is wrong with a certificate (`X509_V_ERR_…`), as Node passes them on. */
function faultOfCertificate(code: string): AskFault {
  if (code === 'CERT_HAS_EXPIRED') return 'certificate-over'
  if (code === 'ERR_TLS_CERT_ALTNAME_INVALID') return 'certificate-of-another'
  return /SELF_SIGNED|ISSUER|LEAF_SIGNATURE|UNTRUSTED/.test(code) ? 'certificate-of-nobody' : 'certificate'
}

function faultOf(error: unknown): AskFault {
  if (error instanceof OutOfBounds) return error.place
  if (error instanceof GivenUp) return error.fault
  const code = error instanceof Error && 'code' in error ? String(error.code) : ''
  if (/ENOTFOUND|EAI_AGAIN/.test(code)) return 'no-name'
  if (/ECONNREFUSED|EHOSTUNREACH|ENETUNREACH/.test(code)) return 'nobody-answers'
  if (code === 'ECONNRESET') return 'broke-off'
  if (code === 'HPE_HEADER_OVERFLOW') return 'head-too-large'
  if (/CERT|TLS|SSL|ISSUER|LEAF_SIGNATURE/i.test(code)) return faultOfCertificate(code)
  return 'unreachable'
}
