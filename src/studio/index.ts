import { randomUUID } from 'node:crypto'
import http, { type IncomingMessage, type ServerResponse } from 'node:http'
import path from 'node:path'
import { pathToFileURL } from 'node:url'
import type { Logger } from 'pino'
import { whileWanted } from '../apart/index.ts'
import type { Services } from '../services/index.ts'
import type { Settings } from '../settings/index.ts'
import { inWords, tell } from '../words/index.ts'
import { openAssets } from './assets.ts'
import { AnsweredOnce } from './once.ts'

/** What a screen or endpoint finds in `Astro.locals` besides the actor. */
export interface StudioLocals {
  readonly services: Services
  readonly log: Logger
  /** Requests that name themselves are carried out once. */
  readonly once: AnsweredOnce
  readonly requestId: string
  /** Where the script of the frame is that shows pages. */
  readonly frameScript: string
}

type AstroHandler = (request: IncomingMessage, response: ServerResponse, next: (error?: unknown) => void, locals: object) => void

/** The studio's side of the server, behind the socket where the edge has said who asks and by which protocol: its assets, and Astro for the rest, with the services handed over (they exist once). */
export async function openStudio({
  services,
  settings,
  log,
  distFolder,
}: {
  services: Services
  settings: Settings
  log: Logger
  distFolder: string
}) {
  const assets = openAssets(path.join(distFolder, 'client'))
  const once = new AnsweredOnce()
  if (settings.astroDev !== null) {
    const forward = forwardTo(new URL(settings.astroDev), log)
    return (request: IncomingMessage, response: ServerResponse): void => assets.send(request, response, () => forward(request, response))
  }
  const entry = (await import(pathToFileURL(path.join(distFolder, 'server', 'entry.mjs')).href)) as { handler: AstroHandler }
  return (request: IncomingMessage, response: ServerResponse): void => {
    assets.send(request, response, () => answer(request, response))
  }

  function answer(request: IncomingMessage, response: ServerResponse): void {
    // The edge has given it one; who comes by the socket alone may have none.
    const requestId = String(request.headers['x-request-id'] ?? randomUUID())
    response.setHeader('X-Request-Id', requestId)
    const startedAt = performance.now()
    response.on('finish', () =>
      log.debug(
        { requestId, method: request.method, url: request.url, status: response.statusCode, ms: Math.round(performance.now() - startedAt) },
        'studio',
      ),
    )
    const locals: StudioLocals = { services, log, once, requestId, frameScript: assets.frameScript }
    const gone = new AbortController()
    response.once('close', () => gone.abort())
    whileWanted(gone.signal, () => entry.handler(request, response, (error) => failed(error, requestId, log, response), locals))
  }
}

function failed(error: unknown, requestId: string, log: Logger, response: ServerResponse): void {
  log.error({ err: error, requestId }, 'the studio could not answer')
  if (!response.headersSent) response.writeHead(500, { 'Content-Type': 'text/plain; charset=utf-8' })
  response.end(inWords(tell('answer.studio-broken-number', { number: requestId })))
}

/** Development: Astro's own server renders, ours keeps answering for the public hosts on the same port. */
function forwardTo(target: URL, log: Logger) {
  return (request: IncomingMessage, response: ServerResponse): void => {
    const onward = http.request(
      { host: target.hostname, port: target.port, method: request.method, path: request.url, headers: request.headers },
      (answer) => {
        response.writeHead(answer.statusCode ?? 502, answer.headers)
        answer.pipe(response)
      },
    )
    onward.on('error', (error) => failed(error, 'dev', log, response))
    request.pipe(onward)
  }
}
