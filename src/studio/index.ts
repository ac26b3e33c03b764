import { randomUUID } from 'node:crypto'
import { createReadStream, existsSync, statSync } from 'node:fs'
import http, { type IncomingMessage, type ServerResponse } from 'node:http'
import path from 'node:path'
import { pathToFileURL } from 'node:url'
import { lookup } from 'mrmime'
import type { Logger } from 'pino'
import { whileWanted } from '../apart/index.ts'
import type { Services } from '../services/index.ts'
import type { Settings } from '../settings/index.ts'

/** What a screen or endpoint finds in `Astro.locals` besides the actor. */
export interface StudioLocals {
  readonly services: Services
  readonly log: Logger
  readonly requestId: string
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
  const frameScript = path.join(distFolder, 'frame.js')
  if (settings.astroDev !== null) {
    const forward = forwardTo(new URL(settings.astroDev), log)
    return (request: IncomingMessage, response: ServerResponse): void =>
      request.url === '/pages/frame.js' ? sendAsset(frameScript, request, response) : forward(request, response)
  }
  const client = path.join(distFolder, 'client')
  const entry = (await import(pathToFileURL(path.join(distFolder, 'server', 'entry.mjs')).href)) as { handler: AstroHandler }
  return (request: IncomingMessage, response: ServerResponse): void => {
    if (request.url === '/pages/frame.js') return sendAsset(frameScript, request, response)
    if (serveAsset(client, request, response)) return
    const requestId = randomUUID()
    response.setHeader('X-Request-Id', requestId)
    const startedAt = performance.now()
    response.on('finish', () =>
      log.debug(
        { requestId, method: request.method, url: request.url, status: response.statusCode, ms: Math.round(performance.now() - startedAt) },
        'studio',
      ),
    )
    const locals: StudioLocals = { services, log, requestId }
    const gone = new AbortController()
    response.once('close', () => gone.abort())
    whileWanted(gone.signal, () => entry.handler(request, response, (error) => failed(error, requestId, log, response), locals))
  }
}

function failed(error: unknown, requestId: string, log: Logger, response: ServerResponse): void {
  log.error({ err: error, requestId }, 'the studio could not answer')
  if (!response.headersSent) response.writeHead(500, { 'Content-Type': 'text/plain; charset=utf-8' })
  response.end(`Something went wrong on our side. Its number is ${requestId}.`)
}

/** Hashed names never change, so browsers may keep them for good. */
function serveAsset(folder: string, request: IncomingMessage, response: ServerResponse): boolean {
  const pathname = (request.url ?? '/').split('?', 1)[0] ?? '/'
  if (pathname === '/' || pathname.includes('..') || pathname.includes('%') || !/\.[a-z0-9]+$/i.test(pathname)) return false
  const file = path.join(folder, pathname)
  if (!existsSync(file) || !statSync(file).isFile()) return false
  sendAsset(file, request, response)
  return true
}

function sendAsset(file: string, request: IncomingMessage, response: ServerResponse): void {
  response.writeHead(200, {
    'Content-Type': lookup(file) ?? 'application/octet-stream',
    'Content-Length': statSync(file).size,
    'Cache-Control': file.includes('/_astro/') ? 'public, max-age=31536000, immutable' : 'no-cache',
    'X-Content-Type-Options': 'nosniff',
  })
  if (request.method === 'HEAD') response.end()
  else createReadStream(file).pipe(response)
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
