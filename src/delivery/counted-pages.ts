import type { ServerResponse } from 'node:http'
import { BEACON_MAX_BYTES, COUNT_PATH, COUNT_SCRIPT, COUNT_SCRIPT_PATH, readBeacon } from '../core/clicks/index.ts'
import type { EdgeRequest } from '../edge/index.ts'
import { tell } from '../words/index.ts'
import { isCounting } from './counting-end.ts'
import type { Delivery } from './delivery.ts'
import { locate } from './locate.ts'
import { say } from './say.ts'
import type { HostEntry, StoreView } from './store/index.ts'

const SCRIPT = Buffer.from(COUNT_SCRIPT)

/**
 * Answers what the counting script asks: itself, and what it tells.
 * @returns false where the request is another one's, or the site counts nothing
 */
export function answerCounting(
  delivery: Delivery,
  view: StoreView,
  entry: HostEntry,
  { host, path }: { readonly host: string; readonly path: string },
  request: EdgeRequest,
  response: ServerResponse,
): boolean {
  if (!path.startsWith(COUNT_PATH) || !isCounting(entry)) return false
  if (path === COUNT_SCRIPT_PATH) sendScript(request, response)
  else if (path === COUNT_PATH) take(delivery, view, entry, host, request, response)
  else return false
  return true
}

function sendScript({ method }: EdgeRequest, response: ServerResponse): void {
  if (method !== 'GET' && method !== 'HEAD') return say(response, 405, tell('answer.script-read'), method, { Allow: 'GET, HEAD' })
  response.writeHead(200, {
    'Content-Type': 'text/javascript; charset=utf-8',
    'Content-Length': SCRIPT.length,
    'Cache-Control': 'public, max-age=3600',
    'X-Content-Type-Options': 'nosniff',
  })
  response.end(method === 'HEAD' ? undefined : SCRIPT)
}

/** Takes what a page tells. Whoever asked not to be counted is answered like anybody else, and nothing is noted (Sec-GPC). */
function take(delivery: Delivery, view: StoreView, entry: HostEntry, host: string, request: EdgeRequest, response: ServerResponse): void {
  const done = (status: number): void => {
    if (!response.headersSent)
      response.writeHead(status, { 'Cache-Control': 'no-store', ...(status === 204 ? {} : { 'Content-Length': '0' }) }).end()
  }
  if (request.method !== 'POST') return say(response, 405, tell('answer.told-here'), request.method, { Allow: 'POST' })
  request.limit(BEACON_MAX_BYTES, () => done(413))
  const chunks: Buffer[] = []
  request.on('data', (chunk: Buffer) => chunks.push(chunk))
  request.on('end', () => {
    if (response.headersSent) return
    const beacon = request.headers['sec-gpc'] === '1' ? null : readBeacon(Buffer.concat(chunks).toString('utf8'))
    // Of the site's own pages those are counted that are there: nobody can fill the tables with what is not.
    const place = beacon === null || entry.kind === 'door' ? null : locate(view, entry, beacon.path)
    if (beacon === null || (entry.kind !== 'door' && (place === null || !('page' in place)))) return done(204)
    const path = place !== null && 'page' in place ? place.page.path : beacon.path
    const seen = { siteId: entry.ground.setup.siteId, host, ...beacon, path }
    delivery.clicks.append(delivery.visitors.seenLine(request, seen, Date.now()), () => done(204))
  })
}
