import type { IncomingMessage, ServerResponse } from 'node:http'
import { setImmediate as breathe } from 'node:timers/promises'
import { parseUrl } from '../core/address/index.ts'
import { escapeAnywhere, inAscii } from '../core/markup/index.ts'
import { isPageLike, PageFinder, type PageSuggestion, plainPath } from '../core/routing/index.ts'
import { isSpoken, spokenIn } from '../words/index.ts'
import type { Delivery } from './delivery.ts'
import { say } from './say.ts'
import type { HostEntry, StoreView } from './store/index.ts'

/** The page that is shown where there is none; it is edited like any other. Hosts for static sites show a page of this name as well. */
export const NOT_FOUND_PATH = '/404.html'
/** Where on that page pages are offered; at the end of what it says where this is not there. */
const PLACE = '<!-- suggestions -->'
const SUGGESTED = 4
/** What is less likely would only be in a reader's way. */
const OFFERED_LEAST = 0.1
/** Addresses whose suggestions are remembered, and how many are worked out in a second: a flood of them costs little. */
const KNOWN_MAX = 2_000
const WORKED_OUT_A_SECOND = 20
/** Pages taken in by one turn: less than a millisecond. */
const TAKEN_AT_ONCE = 10

const known = new Map<string, Promise<readonly OfferedPage[]>>()
const pace = { second: 0, worked: 0 }

interface OfferedPage extends PageSuggestion {
  readonly title: string
}

/** What was asked for in vain. */
export interface Missing {
  readonly host: string
  /** As sent, without query. */
  readonly path: string
}

/** Where a missing page of a host leads; "page" is our page that says so, null for leaving it to the site behind a front door. */
export function missingTo({ kind, missingTo: to }: HostEntry): string | null {
  return to === '' ? (kind === 'door' ? null : 'page') : to
}

/** Whether it is a person, looking for a page, who might be helped. */
export const asksForPage = (request: IncomingMessage, path: string): boolean =>
  (request.method === 'GET' || request.method === 'HEAD') && isPageLike(path, request.headers.accept)

/** Notes down that an address was asked for in vain; like a click, before the answer ends. */
export function noteMissing(
  { clicks, visitors }: Delivery,
  entry: HostEntry,
  { host, path }: Missing,
  request: IncomingMessage,
  answer: () => void,
): void {
  clicks.append(visitors.missedLine(request, { siteId: entry.ground.setup.siteId, host, path }, Date.now()), answer)
}

/** Answers an address of the site at which there is nothing. */
export async function answerMissing(
  delivery: Delivery,
  view: StoreView,
  entry: HostEntry,
  missing: Missing,
  request: IncomingMessage,
  response: ServerResponse,
): Promise<void> {
  const { path } = missing
  const { language } = entry.ground.setup
  const to = missingTo(entry)
  const isPage = asksForPage(request, path)
  const location = to === null || to === 'page' || !isPage ? null : locationOf(entry, path, to)
  if (location !== null)
    return noteMissing(delivery, entry, missing, request, () => {
      // For now only: the page may be there tomorrow, and nobody is to remember that it was not.
      response.writeHead(302, { Location: location, 'Cache-Control': 'no-store', 'Content-Length': '0' }).end()
    })
  const page = isPage ? view.page(entry, NOT_FOUND_PATH) : null
  const offered = isPage ? await suggestionsFor(view, entry, path) : []
  const body = page === null ? null : withSuggestions((await delivery.pages.deliver(view, entry, page)).bytes, offered, entry)
  noteMissing(delivery, entry, missing, request, () => {
    if (body === null || page === null)
      return say(response, 404, spokenIn(language).noPage, request.method, {}, isPage ? listOf(offered, entry) : '', language)
    response.writeHead(404, {
      'Content-Type': `text/html; charset=${page.encoding}`,
      'Content-Length': body.length,
      'Cache-Control': 'no-store',
      'X-Robots-Tag': 'noindex',
    })
    response.end(request.method === 'HEAD' ? undefined : body)
  })
}

/** Absolute; null where it would lead back to where it is. */
function locationOf(entry: HostEntry, path: string, to: string): string | null {
  const url = parseUrl(to, `${entry.address}/`)
  return url === null || (url.origin === entry.address && plainPath(url.pathname) === plainPath(path)) ? null : url.href
}

/** Pages that somebody may have meant, by the words of the address. What is looked at does not grow with the site. */
function suggestionsFor(view: StoreView, entry: HostEntry, path: string): Promise<readonly OfferedPage[]> {
  const key = `${entry.ground.setup.siteId} ${view.generation} ${path}`
  const before = known.get(key)
  if (before !== undefined) return before
  const second = Math.floor(Date.now() / 1000)
  if (pace.second !== second) Object.assign(pace, { second, worked: 0 })
  if (++pace.worked > WORKED_OUT_A_SECOND) return Promise.resolve([])
  const near = view.pagesNear(entry, path).filter((page) => page.path !== NOT_FOUND_PATH)
  const offered = nearest(near, path)
  if (known.size >= KNOWN_MAX) known.clear()
  known.set(key, offered)
  return offered
}

/** Takes pages in a few at a time: between, other visitors are answered. */
async function nearest(near: readonly { readonly path: string; readonly title: string }[], path: string): Promise<readonly OfferedPage[]> {
  const finder = new PageFinder([])
  for (const [i, page] of near.entries()) {
    finder.put(page)
    if (i % TAKEN_AT_ONCE === TAKEN_AT_ONCE - 1) await breathe()
  }
  const titles = new Map(near.map((page) => [page.path, page.title]))
  return finder
    .suggest({ path }, SUGGESTED)
    .filter(({ score }) => score >= OFFERED_LEAST)
    .map((each) => ({ ...each, title: titles.get(each.to) || each.to }))
}

/** It stands in a page of whatever encoding. */
const escaped = (text: string): string => inAscii(escapeAnywhere(text))

function listOf(offered: readonly OfferedPage[], { ground: { setup } }: HostEntry): string {
  if (offered.length === 0) return ''
  const { language } = setup
  const words = isSpoken(language) ? `<p>${escaped(spokenIn(language).perhaps)}</p>` : ''
  const items = offered.map(({ to, title }) => `<li><a href="${escaped(to)}">${escaped(title)}</a></li>`)
  return `${words}<ul>${items.join('')}</ul>`
}

function withSuggestions(page: Buffer, offered: readonly OfferedPage[], entry: HostEntry): Buffer {
  const list = Buffer.from(listOf(offered, entry))
  const place = page.indexOf(PLACE)
  const end = [place, page.lastIndexOf('</main>'), page.lastIndexOf('</body>')].find((at) => at !== -1)
  if (list.length === 0 || end === undefined) return page
  return Buffer.concat([page.subarray(0, end), list, page.subarray(place === -1 ? end : end + PLACE.length)])
}
