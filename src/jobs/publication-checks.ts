import type { Logger } from 'pino'
import type { PublicationCheck } from '../contract/publications.ts'
import { ALL_INSIDE } from '../core/address/index.ts'
import { partMark } from '../core/blocks/index.ts'
import { asDelivered, deliverSource, type LinkAsDelivered, linkChanges } from '../core/content/index.ts'
import { decodeSource, linkText, scanLinks } from '../core/markup/index.ts'
import { ok } from '../core/result.ts'
import { REDIRECT_STATUSES } from '../core/routing/index.ts'
import { getContent } from '../data/contents.ts'
import type { Database } from '../data/database.ts'
import { livePathsHolding, pageIdAt } from '../data/pages.ts'
import { itemsOfPublication, keepCheck, publicationSite } from '../data/publications.ts'
import type { PageKind } from '../data/tables/index.ts'
import { waitingByPage } from '../data/waiting.ts'
import { askOutside } from '../outside/index.ts'
import { type SiteViews, write } from '../services/context.ts'
import { textOf } from '../services/publications.ts'
import { type Told, tell } from '../words/index.ts'

/** Pages asked for after one publication; a whole site that was brought in is looked at in part. */
const PAGES_MAX = 300
/** Pages looked at that only hold a shared part that changed. */
const PART_PAGES_MAX = 20
/** A page is asked for in full: its links may stand at its end. */
const PAGE_MAX_BYTES = 25 * 1024 * 1024
/** Delivery hears of a publication when it commits, and has read it a moment later. */
const TRIES = 12
const TRY_AGAIN_MS = 500

interface Wanted {
  readonly path: string
  /** What changed of its own, or of a shared part that it holds. */
  readonly changed: ReturnType<typeof linkChanges>
  readonly isGone: boolean
  /** A shared part's changes are counted once, and looked for on every page asked that holds it. */
  readonly isCounted: boolean
}

/** What an address answers at which there is no page any more: nothing, or what a row says. */
const GONE: ReadonlySet<number> = new Set([404, ...REDIRECT_STATUSES])

/**
 * Asks the live host for each page of a publication, as a visitor would, and writes down for each link that changed
 * whether it is there as it was meant.
 */
export async function checkPublication(db: Database, views: SiteViews, id: string, log: Logger): Promise<void> {
  const siteId = await publicationSite(db, id)
  if (siteId === null) return
  const view = await views.of({ siteId })
  const waiting = await waitingByPage(db, siteId)
  const check: PublicationCheck = { pages: 0, links: 0, found: 0, problems: [] }
  for (const wanted of await pagesToAsk(siteId)) {
    check.pages++
    const problems = await untilRight(wanted)
    const { length } = wanted.isCounted ? wanted.changed : []
    check.links += length
    check.found += length - Math.min(length, problems.length)
    check.problems.push(...problems)
  }
  await write(db, async (transaction, changes) => {
    await keepCheck(db, id, { ...check, problems: check.problems.slice(0, 200) }, transaction)
    changes.add(siteId, 'publications', id, 'changed')
    return ok(null)
  })
  if (check.problems.length > 0) log.warn({ publication: id, problems: check.problems.length }, 'the live site is not as it was published')

  async function pagesToAsk(siteId: string): Promise<Wanted[]> {
    const items = await itemsOfPublication(db, id, 100_000)
    const parts = items.filter(({ kind }) => kind === 'block' || kind === 'menu')
    const wanted: Wanted[] = []
    /** The links of one version, without those that shared parts bring along: they change with the part. */
    const linksOf = async (
      { kind, path, pageId }: { kind: PageKind; path: string; pageId?: string },
      hash: string | null,
      encoding: string | null,
    ): Promise<readonly LinkAsDelivered[]> => {
      const content = hash === null ? null : await getContent(db, hash)
      if (content === null) return []
      const { bytes, tags, writtenFor } = content
      const place = { path, tags, writtenFor, waiting: (pageId === undefined ? undefined : waiting.get(pageId)) ?? waiting.get('shared') }
      return views.knowing(view, (site) => {
        const page = deliverSource(textOf(kind, bytes, encoding ?? 'utf-8'), site, place)
        return asDelivered(page.whole, page.links)
      })
    }
    for (const { kind, path, fromHash, toHash, fromEncoding, encoding } of items) {
      if (kind !== 'page' || wanted.length >= PAGES_MAX) continue
      const of = { kind, path, pageId: (await pageIdAt(db, siteId, path)) ?? '' }
      const changed = toHash === null ? [] : linkChanges(await linksOf(of, fromHash, fromEncoding), await linksOf(of, toHash, encoding))
      wanted.push({ path, changed, isGone: toHash === null, isCounted: true })
    }
    for (const { kind: partKind, path: partPath, fromHash, toHash, fromEncoding, encoding } of parts) {
      if (partKind === 'file') continue
      const part = { kind: partKind, path: partPath }
      const changed = linkChanges(await linksOf(part, fromHash, fromEncoding), await linksOf(part, toHash, encoding))
      const [kind = '', name = ''] = partPath.split(':')
      const holding = await livePathsHolding(db, siteId, partMark(kind === 'menu' ? 'menu' : 'block', name), PART_PAGES_MAX)
      const others = holding.filter((each) => !wanted.some(({ path }) => path === each))
      for (const [index, path] of others.entries()) wanted.push({ path, changed, isGone: false, isCounted: index === 0 })
    }
    return wanted
  }

  /** Asks until the page is as it should be, or it has had its time. */
  async function untilRight(wanted: Wanted): Promise<PublicationCheck['problems']> {
    let problems: PublicationCheck['problems'] = []
    for (let attempt = 0; attempt < TRIES; attempt++) {
      if (attempt > 0) await new Promise((resolve) => setTimeout(resolve, TRY_AGAIN_MS))
      problems = await look(wanted)
      if (problems.length === 0) return problems
    }
    return problems
  }

  async function look({ path, isGone, changed }: Wanted): Promise<PublicationCheck['problems']> {
    const problem = (text: string, href: string, why: Told) => ({ path, text, href, why })
    const asked = await askOutside(new URL(path, view.origin), ALL_INSIDE, { maxBytes: PAGE_MAX_BYTES })
    if (!asked.ok) return [problem('', path, tell('check.no-answer'))]
    const answer = asked.value
    // An address that is led on, or answered as gone, has no page any more.
    if (isGone) return GONE.has(answer.status) ? [] : [problem('', path, tell('check.page-there'))]
    if (answer.status !== 200) return [problem('', path, tell('check.answers', { status: answer.status }))]
    const charset = /charset=([^;\s]+)/i.exec(answer.type)?.[1] ?? 'utf-8'
    const html = decodeSource(answer.body, charset)
    const there = scanLinks(html).links.map((link) => ({ text: linkText(html, link), href: link.href, rel: link.rel, target: link.target }))
    const isSame = (a: LinkAsDelivered, b: LinkAsDelivered): boolean =>
      a.text === b.text && a.href === b.href && (a.rel ?? '') === (b.rel ?? '') && (a.target ?? '') === (b.target ?? '')
    return changed.flatMap(({ before, after: meant }) => {
      if (meant !== null) {
        if (there.some((link) => isSame(link, meant))) return []
        const other = there.find(({ text, href }) => text === meant.text && href === meant.href)
        return [
          problem(
            meant.text,
            meant.href,
            other === undefined ? tell('check.no-link') : tell('check.other-link', { rel: other.rel ?? '', target: other.target ?? '' }),
          ),
        ]
      }
      return before !== null && there.some((link) => isSame(link, before))
        ? [problem(before.text, before.href, tell('check.link-there'))]
        : []
    })
  }
}
