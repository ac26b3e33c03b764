import type { IncomingMessage } from 'node:http'
import { Agent, type Dispatcher } from 'undici'
import type { InsideAllowed } from '../../core/address/index.ts'
import { resolver } from '../../outside/index.ts'
import { DOOR_TIMEOUT_MS, type Door } from './door.ts'
import { type Headers, readHeaders } from './headers.ts'

/** Connections kept open to one site: opening one costs more than a page. */
const CONNECTIONS = 256
/** How long a site may pause within an answer is the client's patience; when it has to begin is ours, and timed here. */
const makeAgent = (insideAllowed: InsideAllowed): Agent =>
  new Agent({
    connections: CONNECTIONS,
    headersTimeout: 0,
    bodyTimeout: 0,
    connect: { lookup: resolver(insideAllowed), timeout: DOOR_TIMEOUT_MS },
  })
/** Kept apart: a connection into a private network that one site may have must never serve another. */
const agents = new Map<string, Agent>()
/** As many as there are sites with lists of their own; lists that nobody has any more go when there are more. */
const AGENTS_MAX = 100
function agentFor(insideAllowed: InsideAllowed): Agent {
  const name = insideAllowed.join(' ')
  const known = agents.get(name)
  if (known !== undefined) return known
  const [oldest] = agents.size < AGENTS_MAX ? [] : agents
  if (oldest !== undefined) {
    agents.delete(oldest[0])
    void oldest[1].close()
  }
  const agent = makeAgent(insideAllowed)
  agents.set(name, agent)
  return agent
}

/** The site behind the door took too long to begin. */
export class TooSlow extends Error {}

/** The head of an answer, and a hold on the rest of it. */
export interface AnswerHead {
  readonly status: number
  readonly statusMessage: string
  readonly headers: Headers
  pause(): void
  resume(): void
  /** Nobody needs the rest. */
  stop(): void
}

/** Takes the body of an answer as it comes. */
export interface BodySink {
  data(chunk: Buffer): void
  end(): void
  /** It broke off. */
  fail(error: Error): void
}

/** What became of a question. */
export interface Asker {
  /** The answer begins. @returns what takes its body; null where nobody wants it */
  begin(answer: AnswerHead): BodySink | null
  /** There is none. */
  fail(error: Error): void
}

/**
 * Asks the site behind a door.
 * @param body - of this request, sent along as it comes; null for none
 * @returns gives the question up
 */
export function askBehind(door: Door, method: string, headers: Headers, body: IncomingMessage | null, asker: Asker): () => void {
  const { site, delivery, origin, path } = door
  let hold: Dispatcher.DispatchController | null = null
  let sink: BodySink | null = null
  let isOver = false
  let reason: Error | null = null
  const stop = (why: () => Error): void => {
    if (isOver) return // and no error is made for nothing: that costs more than most of an answer
    reason ??= why()
    hold?.abort(reason)
  }
  const timer = setTimeout(() => stop(() => new TooSlow()), delivery.doorTimeoutMs ?? DOOR_TIMEOUT_MS)
  const fail = (error: Error): void => {
    clearTimeout(timer)
    if (isOver) return
    isOver = true
    if (sink === null) asker.fail(reason ?? error)
    else sink.fail(reason ?? error)
  }
  agentFor(site.setup.insideAllowed ?? []).dispatch(
    { origin: origin.origin, path, method, headers, body },
    {
      onRequestStart(controller) {
        hold = controller
        if (reason !== null) controller.abort(reason)
      },
      onResponseStart(controller, status, _parsed, statusMessage = '') {
        if (status < 200) return
        clearTimeout(timer)
        const raw = controller.rawHeaders
        sink = asker.begin({
          status,
          statusMessage,
          headers: readHeaders(Array.isArray(raw) ? raw : []),
          pause: () => controller.pause(),
          resume: () => controller.resume(),
          stop: () => stop(() => new Error('nobody needs the rest')),
        })
        if (sink !== null) return
        isOver = true
        controller.abort(new Error('nobody needs the body'))
      },
      onResponseData(_controller, chunk) {
        sink?.data(chunk)
      },
      onResponseEnd() {
        if (isOver) return
        isOver = true
        sink?.end()
      },
      onResponseError(_controller, error) {
        fail(error)
      },
    },
  )
  return () => stop(() => new Error('the client is gone'))
}
