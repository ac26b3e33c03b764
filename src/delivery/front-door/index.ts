import type { IncomingMessage, ServerResponse } from 'node:http'
import { pipeline, type Writable } from 'node:stream'
import { originOf } from '../../core/rules/index.ts'
import { OutOfBounds } from '../../outside/index.ts'
import { tell } from '../../words/index.ts'
import type { Delivery } from '../delivery.ts'
import { answerMissing, asksForPage, missingTo, noteMissing } from '../missing.ts'
import { say } from '../say.ts'
import type { HostEntry, StoreView } from '../store/index.ts'
import { type AnswerHead, askBehind, type BodySink, TooSlow } from './behind.ts'
import { type Door, originBehind, pathOf } from './door.ts'
import { codingOf, type Headers, headersBack, headersFor, headerValue, isHtml, isRing, signOf } from './headers.ts'
import { PageRewriter, packer, unpacker } from './page.ts'

export { cameThroughDoor, isOfOneHop } from './headers.ts'
export { upgradeDoor } from './upgrade.ts'

/**
 * Answers a request by asking the site behind the door. Pages stream through with the rules applied; everything else goes
 * through as it is. What is held of a page never grows with it.
 */
export function frontDoor(
  delivery: Delivery,
  view: StoreView,
  entry: HostEntry,
  host: string,
  request: IncomingMessage,
  response: ServerResponse,
): void {
  const origin = originBehind(entry)
  const path = pathOf(request)
  if (origin === null || path === null) return say(response, 502, tell('answer.door-unfit'), request.method)
  const sign = signOf(delivery.clicks.node, host)
  if (isRing(request, sign)) return say(response, 508, tell('answer.ring'), request.method)
  const publicOrigin = originOf(host, Number(request.socket.localPort))
  const stamp = `-mr${view.stamp(entry)}`
  const door: Door = { delivery, view, entry, site: view.site(entry), host, origin, path, publicOrigin, stamp, sign }
  ask(door, request, response, headersFor(door, request))
}

/** @param isWhole - a piece of a page was asked for, and the whole of it is to answer */
function ask(door: Door, request: IncomingMessage, response: ServerResponse, headers: Headers, isWhole = false): void {
  const { delivery, view, entry } = door
  const hasBody = !isWhole && (request.headers['content-length'] !== undefined || request.headers['transfer-encoding'] !== undefined)
  const giveUp = askBehind(door, request.method ?? 'GET', headers, hasBody ? request : null, {
    begin(answer) {
      if (answer.status === 206 && isHtml(answer.headers) && !isWhole) {
        // A piece of a page cannot be rewritten: the whole of it is asked for, and answers in its place (RFC 9110 §14.2).
        const { range: _r, 'if-range': _i, ...rest } = headers
        ask(door, request, response, rest, true)
        return null
      }
      const asked = door.path.split('?', 1)[0] ?? '/'
      if (answer.status === 404 && asksForPage(request, asked)) {
        const missing = { host: door.host, path: asked }
        if (missingTo(entry) !== null) {
          answerMissing(delivery, view, entry, missing, request, response).catch((error: Error) => refuse(door, request, response, error))
          return null
        }
        noteMissing(delivery, entry, missing, request, () => {})
      }
      return pass(door, request, response, answer)
    },
    fail(error) {
      refuse(door, request, response, error)
    },
  })
  response.once('close', giveUp) // whoever asked is gone, or has all of it
}

/** There is no answer from the site behind. */
function refuse({ delivery, host }: Door, request: IncomingMessage, response: ServerResponse, error: NodeJS.ErrnoException): void {
  if (response.destroyed || response.headersSent) return void response.destroy()
  const again = { 'Retry-After': '10' }
  if (error instanceof TooSlow) return say(response, 504, tell('answer.too-slow'), request.method, again)
  delivery.log.warn({ host, code: error.code, outOfBounds: error instanceof OutOfBounds }, 'the site behind a front door does not answer')
  say(response, 502, tell('answer.no-answer'), request.method, again)
}

/** A page of up to this many bytes is waited for and sent in one piece, with its length. */
const SMALL_BYTES = 64 * 1024

function pass(door: Door, request: IncomingMessage, response: ServerResponse, answer: AnswerHead): BodySink {
  const { status, headers: came } = answer
  const coding = codingOf(came)
  const rewrites = isHtml(came) && coding !== 'unknown' && status !== 206
  const headers = headersBack(door, request, status, came, rewrites)
  const broken = (error: NodeJS.ErrnoException): void => {
    if (!response.destroyed) door.delivery.log.warn({ host: door.host, err: error }, 'a page broke off at the front door')
    response.destroy()
  }
  const head = (length?: number): void => {
    if (length !== undefined) headers['content-length'] = String(length)
    response.writeHead(status, answer.statusMessage, flat(headers))
  }
  if (request.method === 'HEAD' || status === 204 || status === 304) {
    head()
    response.end()
    return { data: () => {}, end: () => {}, fail: () => {} }
  }
  if (!rewrites) {
    head()
    return into(response, answer, broken)
  }
  const rewriter = new PageRewriter(door, headerValue(came, 'content-type') ?? '', status === 200 ? policiesOf(came) : null)
  if (coding === null) {
    if (Number(headerValue(came, 'content-length') ?? Number.POSITIVE_INFINITY) <= SMALL_BYTES)
      return smallPage(rewriter, head, response, broken)
    head()
    return guarded(page(rewriter, response, answer), answer, broken)
  }
  head()
  const packed = unpacker(coding)
  pipeline(packed, rewriter.transform(), packer(coding), response, (error) => {
    if (error !== null && error !== undefined && error.code !== 'ERR_STREAM_PREMATURE_CLOSE') broken(error)
    if (error !== null && error !== undefined) answer.stop()
  })
  return into(packed, answer, (error) => void packed.destroy(error))
}

const policiesOf = (headers: Headers): string[] => [headers['content-security-policy'] ?? []].flat()

/** Headers as a list of names and values by turns, which is how they are sent. */
function flat(headers: Headers): string[] {
  const list: string[] = []
  for (const name in headers) {
    const value = headers[name]
    if (typeof value === 'string') list.push(name, value)
    else if (value !== undefined) for (const each of value) list.push(name, each)
  }
  return list
}

/** Writes a body on, as fast as it is taken. */
function into(to: Writable, answer: AnswerHead, fail: (error: Error) => void): BodySink {
  return {
    data: (chunk) => send(to, chunk, answer),
    end: () => void to.end(),
    fail,
  }
}

function send(to: Writable, bytes: Uint8Array, answer: AnswerHead): void {
  if (to.write(bytes)) return
  answer.pause()
  to.once('drain', answer.resume)
}

/** A page that nobody packed: by hand, since a chain of streams costs more than rewriting does. */
function page(rewriter: PageRewriter, response: ServerResponse, answer: AnswerHead): Omit<BodySink, 'fail'> {
  const pass = (pieces: readonly Uint8Array[]): void => {
    for (const piece of pieces) send(response, piece, answer)
  }
  return {
    data: (chunk) => pass(rewriter.push(chunk)),
    end() {
      pass(rewriter.end())
      response.end()
    },
  }
}

/** Whatever is wrong with a page breaks off that page, and nothing else. */
function guarded({ data, end }: Omit<BodySink, 'fail'>, answer: Pick<AnswerHead, 'stop'>, fail: (error: Error) => void): BodySink {
  const attempt = (work: () => void): void => {
    try {
      work()
    } catch (error) {
      answer.stop()
      fail(error instanceof Error ? error : new Error(String(error)))
    }
  }
  return { data: (chunk) => attempt(() => data(chunk)), end: () => attempt(end), fail }
}

/** A page that is short enough to wait for. */
function smallPage(
  rewriter: PageRewriter,
  head: (length: number) => void,
  response: ServerResponse,
  fail: (error: Error) => void,
): BodySink {
  const pieces: Uint8Array[] = []
  return guarded(
    {
      data: (chunk) => void pieces.push(...rewriter.push(chunk)),
      end() {
        pieces.push(...rewriter.end())
        const [only] = pieces
        const body = pieces.length === 1 && only !== undefined ? only : Buffer.concat(pieces)
        head(body.length)
        response.end(body)
      },
    },
    { stop: () => {} },
    fail,
  )
}
