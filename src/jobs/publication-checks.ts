import type { Logger } from 'pino'
import type { PublicationCheck } from '../contract/publications.ts'
import { partMark } from '../core/blocks/index.ts'
import { asDelivered, deliverSource, type LinkAsDelivered, linkChanges } from '../core/content/index.ts'
import { decodeSource, linkText, scanLinks } from '../core/markup/index.ts'
import { type Database, rows } from '../data/database.ts'
import { getBlob } from '../data/pages.ts'
import { keepCheck, publicationItems, publicationSite } from '../data/publications.ts'
import { waitingByPage } from '../data/waiting.ts'
import type { SiteViews } from '../services/context.ts'
import { askOutside } from '../services/visits.ts'

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
  readonly id: string
  readonly path: string
  readonly before: readonly LinkAsDelivered[]
  readonly after: readonly LinkAsDelivered[] | null
}

/**
 * Asks the live host for each page of a publication, as a visitor would, and writes down for each link that changed
 * whether it is there as it was meant.
 */
export async function checkPublication(db: Database, views: SiteViews, id: string, log: Logger): Promise<void> {
  const siteId = await publicationSite(db, id)
  if (siteId === null) return
  const view = await views.of({ siteId })
  const findPart = await views.partsOf({ siteId }, 'live')
  const waiting = await waitingByPage(db, siteId)
  const check: PublicationCheck = { pages: 0, links: 0, found: 0, problems: [] }
  for (const wanted of await pagesToAsk()) {
    check.pages++
    const changed = wanted.after === null ? [] : linkChanges(wanted.before, wanted.after)
    const problems = await untilRight(wanted, changed)
    check.links += changed.length
    check.found += changed.length - Math.min(changed.length, problems.length)
    check.problems.push(...problems)
  }
  await keepCheck(db, id, { ...check, problems: check.problems.slice(0, 200) })
  if (check.problems.length > 0) log.warn({ publication: id, problems: check.problems.length }, 'the live site is not as it was published')

  async function pagesToAsk(): Promise<Wanted[]> {
    const items = await publicationItems(db, id, 100_000)
    const parts = items.filter(({ kind }) => kind === 'block' || kind === 'menu')
    const wanted: Wanted[] = []
    const linksOf = async (
      pageId: string | null,
      path: string,
      hash: string | null,
      encoding: string | null,
    ): Promise<readonly LinkAsDelivered[]> => {
      const bytes = hash === null ? null : await getBlob(db, hash)
      if (bytes === null) return []
      const page = deliverSource(decodeSource(bytes, encoding ?? 'utf-8'), view, {
        path,
        findPart,
        waiting: (pageId === null ? undefined : waiting.get(pageId)) ?? waiting.get('shared'),
      })
      return asDelivered(page.whole, page.links)
    }
    for (const { kind, path, fromHash, toHash, fromEncoding, encoding } of items) {
      if (kind !== 'page' || wanted.length >= PAGES_MAX) continue
      const [page] = await rows<{ id: string }>(db, 'SELECT id FROM pages WHERE site_id = $1 AND path = $2', [siteId, path])
      const pageId = page?.id ?? ''
      wanted.push({
        id: pageId,
        path,
        before: await linksOf(pageId, path, fromHash, fromEncoding),
        after: toHash === null ? null : await linksOf(pageId, path, toHash, encoding),
      })
    }
    for (const { path: partPath } of parts) {
      const [kind = '', name = ''] = partPath.split(':')
      const holding = await rows<{ id: string; path: string; hash: string; encoding: string }>(
        db,
        `SELECT p.id, p.path, p.live_hash AS hash, p.live_encoding AS encoding FROM pages p JOIN blobs b ON b.hash = p.live_hash
         WHERE p.site_id = $1 AND p.kind = 'page' AND position(convert_to($2, 'UTF8') IN b.bytes) > 0 ORDER BY p.path LIMIT $3`,
        [siteId, partMark(kind === 'menu' ? 'menu' : 'block', name), PART_PAGES_MAX],
      )
      for (const page of holding)
        if (!wanted.some(({ path }) => path === page.path))
          wanted.push({ id: page.id, path: page.path, before: [], after: await linksOf(page.id, page.path, page.hash, page.encoding) })
    }
    return wanted
  }

  /** Asks until the page is as it should be, or it has had its time. */
  async function untilRight(wanted: Wanted, changed: ReturnType<typeof linkChanges>): Promise<PublicationCheck['problems']> {
    let problems: PublicationCheck['problems'] = []
    for (let attempt = 0; attempt < TRIES; attempt++) {
      if (attempt > 0) await new Promise((resolve) => setTimeout(resolve, TRY_AGAIN_MS))
      problems = await look(wanted, changed)
      if (problems.length === 0) return problems
    }
    return problems
  }

  async function look({ path, after }: Wanted, changed: ReturnType<typeof linkChanges>): Promise<PublicationCheck['problems']> {
    const problem = (text: string, href: string, why: string) => ({ path, text, href, why })
    let answer: Awaited<ReturnType<typeof askOutside>>
    try {
      answer = await askOutside(new URL(path, view.origin), true, PAGE_MAX_BYTES)
    } catch {
      return [problem('', path, 'the live site does not answer')]
    }
    if (after === null) return answer.status === 404 ? [] : [problem('', path, 'the page is still there')]
    if (answer.status !== 200) return [problem('', path, `the live site answers ${answer.status}`)]
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
            other === undefined ? 'the link is not there' : `it is there with rel “${other.rel ?? ''}” and target “${other.target ?? ''}”`,
          ),
        ]
      }
      return before !== null && there.some((link) => isSame(link, before))
        ? [problem(before.text, before.href, 'the link is still there')]
        : []
    })
  }
}
