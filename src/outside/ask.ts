import http from 'node:http'
import https from 'node:https'
import { type InsideAllowed, isOutOfBounds } from '../core/address/index.ts'
import type { AskFault } from '../core/checks/index.ts'
import { fail, ok, type Result } from '../core/result.ts'
import { OutOfBounds, resolver } from './resolve.ts'

const HOP_TIMEOUT_MS = 8_000
/** Enough of a page for its title. */
export const READ_MAX_BYTES = 256 * 1024
const AGENT = 'Mozilla/5.0 (compatible; MapRope/1; link check)'

/** An answer has this long to be all there, unless somebody allows more. */
export const ANSWER_MS = 15_000
/** Within each stretch of this length this much of an answer must come: a site that drips holds nobody for long. */
const STRETCH_MS = 5_000
const STRETCH_BYTES = 1_024

/** What one address answered. */
export interface Answer {
  readonly status: number
  readonly location: string | null
  /** `Content-Type` as it was sent; "" where it was not. */
  readonly type: string
  /** As much of it as was wanted. */
  readonly body: Buffer
}

/** Given to a request that is ended from here. */
class GivenUp extends Error {
  readonly fault: AskFault

  constructor(fault: AskFault) {
    super(fault)
    this.fault = fault
  }
}

/**
 * Asks one address, follows nothing. Private networks are out of bounds at the address that is connected to. Never throws.
 * @param totalMs - until the answer is all there, however it comes
 */
export async function askOutside(
  url: URL,
  insideAllowed: InsideAllowed,
  maxBytes = READ_MAX_BYTES,
  totalMs = ANSWER_MS,
): Promise<Result<Answer, AskFault>> {
  try {
    return ok(await asked(url, insideAllowed, maxBytes, totalMs))
  } catch (error) {
    return fail(faultOf(error))
  }
}

function asked(url: URL, insideAllowed: InsideAllowed, maxBytes: number, totalMs: number): Promise<Answer> {
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
        lookup: resolver(insideAllowed),
        agent: false, // a connection kept from an allowed visit would not be looked up again
        timeout: HOP_TIMEOUT_MS,
        headers: { 'User-Agent': AGENT, Accept: 'text/html,*/*;q=0.8', 'Accept-Encoding': 'identity' },
      },
      (response) => {
        const chunks: Buffer[] = []
        const done = (): void =>
          resolve({
            status: response.statusCode ?? 0,
            location: response.headers.location ?? null,
            type: response.headers['content-type'] ?? '',
            body: Buffer.concat(chunks),
          })
        response.on('data', (chunk: Buffer) => {
          chunks.push(chunk)
          size += chunk.length
          if (size >= maxBytes) {
            done()
            response.destroy()
          }
        })
        response.on('end', done)
        response.on('error', reject)
        response.on('close', () => reject(new GivenUp('broke-off'))) // nothing, where it is told already
      },
    )
    request.on('timeout', () => request.destroy(new GivenUp('not-in-time')))
    request.on('error', reject)
    request.end()
  })
}

function faultOf(error: unknown): AskFault {
  if (error instanceof OutOfBounds) return error.place
  if (error instanceof GivenUp) return error.fault
  const code = error instanceof Error && 'code' in error ? String(error.code) : ''
  if (/ENOTFOUND|EAI_AGAIN/.test(code)) return 'no-name'
  if (/ECONNREFUSED|EHOSTUNREACH|ENETUNREACH/.test(code)) return 'nobody-answers'
  if (code === 'ECONNRESET') return 'broke-off'
  if (/CERT|TLS|SSL/i.test(code)) return 'certificate'
  return 'unreachable'
}
