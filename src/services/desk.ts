import type { Desk } from '../contract/desk.ts'
import { MissedQuery } from '../contract/missed.ts'
import { VERDICTS } from '../core/checks/index.ts'
import type { Finding } from '../core/placements/index.ts'
import { fail, ok, type Result } from '../core/result.ts'
import type { SiteGround } from '../core/rules/index.ts'
import { countPointedOut } from '../data/checks.ts'
import { countPages } from '../data/pages.ts'
import { countRedirects } from '../data/redirects.ts'
import { setAsideOfLate } from '../data/set-aside.ts'
import { listTroubles } from '../data/troubles.ts'
import { countWaiting } from '../data/waiting.ts'
import type { Actor, Context, SiteViews } from './context.ts'
import type { missedService } from './missed.ts'
import { BeingRead, soon, withLessPatience } from './patience.ts'
import { type placementsService, shownPlacement } from './placements/index.ts'
import type { publicationsService } from './publications.ts'
import type { redirectReviewService } from './redirects/index.ts'

/** Links shown with a finding; the finding's own view has them all. */
const EXAMPLES = 5
/** A missed address is on the rise where so many ask in a week, and so many times more than in the week before. */
const RISING_LEAST = 10
const RISING_TIMES = 1.5
const RISING_LOOKED_AT = 20
const REDIRECTS_MAX = 50_000

/** What takes longer the first time is there at a later look: its own screen waits for it, the Desk does not. */
const SOON_MS = 150

/** Verdicts that somebody may want to do something about. */
const POINTED_OUT = VERDICTS.filter((verdict) => verdict !== 'lands' && verdict !== 'moved-for-now' && verdict !== 'refused')

type Findings = Pick<Desk, 'unmarked' | 'findings' | 'links' | 'reading'>
const UNKNOWN: Omit<Findings, 'reading'> = { unmarked: { total: 0, pages: 0, examples: [] }, findings: [], links: 0 }

export function deskService(
  { db }: Context,
  views: SiteViews,
  placements: ReturnType<typeof placementsService>,
  publications: ReturnType<typeof publicationsService>,
  review: ReturnType<typeof redirectReviewService>,
  missed: ReturnType<typeof missedService>,
) {
  /** What is wrong in the redirects, and which missed addresses are on the rise. */
  async function redirects(actor: Actor): Promise<Desk['redirects']> {
    // A table that is taken up for the first time takes a while where it is very large; its own screen waits for that, the Desk does not.
    if ((await countRedirects(db, actor.siteId, REDIRECTS_MAX + 1)) > REDIRECTS_MAX) return null
    const [found, asked] = [
      await review.look(actor, { cursor: 0 }),
      await missed.list(actor, MissedQuery.parse({ limit: RISING_LOOKED_AT })),
    ]
    if (!found.ok || !asked.ok) return null
    const rising = asked.value.items.filter(({ week, weekBefore }) => week >= RISING_LEAST && week > weekBefore * RISING_TIMES)
    return {
      findings: found.value.counts.map(({ kind, rows }) => ({ kind, rows })),
      rising: rising.slice(0, EXAMPLES).map(({ path, week, weekBefore }) => ({ path, week, weekBefore })),
    }
  }

  async function look(actor: Actor, view: SiteGround): Promise<Findings> {
    const list = await placements.listOf(actor.siteId, view)
    const { findings, pages, rows } = list.overview('unmarked', EXAMPLES)
    const examples = rows.flatMap((i) => {
      const judged = list.judgedAt(i)
      return judged === null ? [] : [shownPlacement(actor, judged, list.seenAt(i), list.findingsAt(i))]
    })
    return {
      unmarked: { total: findings.unmarked ?? 0, pages, examples },
      findings: Object.entries(findings).map(([finding, links]) => ({ finding: finding as Finding, links })),
      links: list.total,
      reading: null,
    }
  }

  /** What there is to say of links, or how far they are read. */
  async function lookOrTell(actor: Actor, view: SiteGround, waitsMs: number): Promise<Findings> {
    try {
      return await withLessPatience(waitsMs, () => look(actor, view))
    } catch (error) {
      if (error instanceof BeingRead) return { ...UNKNOWN, reading: error.done }
      throw error
    }
  }

  /** The same, no longer than a moment where links are being read: just after much has come in this has the pages to learn as well. */
  async function redirectsBeside(actor: Actor, links: Promise<Findings>): Promise<Desk['redirects']> {
    const asked = redirects(actor)
    const [{ reading }] = await Promise.all([links, soon(SOON_MS, asked)])
    return reading === null ? asked : soon(0, asked)
  }

  return {
    /** What needs a hand today. */
    async look(actor: Actor): Promise<Result<Desk, 'forbidden'>> {
      // All at once: just after much has come in each of them waits for a database that has a lot to do.
      const begunAt = performance.now()
      const known = views.of(actor)
      const links = known.then((view) => lookOrTell(actor, view, Math.max(1, SOON_MS - (performance.now() - begunAt))))
      const [{ setup }, unpublished, found, redirectsNow, pages, seen, waiting, aside, troubles] = await Promise.all([
        known,
        publications.unpublishedInShort(actor),
        links,
        redirectsBeside(actor, links),
        countPages(db, actor.siteId),
        countPointedOut(db, actor.siteId, POINTED_OUT),
        countWaiting(db, actor.siteId),
        setAsideOfLate(db),
        listTroubles(db),
      ])
      if (!unpublished.ok) return fail('forbidden')
      return ok({
        unpublished: unpublished.value,
        ...found,
        pages,
        redirects: redirectsNow,
        seen: POINTED_OUT.flatMap((verdict) => seen.filter((each) => each.verdict === verdict)),
        waiting,
        setAside: aside,
        troubles: troubles.map(({ since }) => ({ since: since.toISOString() })),
        hasPartners: setup.partners.length > 0,
        hasRules: setup.rules.length > 0,
      })
    },
  }
}
