import type { Desk } from '../contract/desk.ts'
import type { Finding } from '../core/placements/index.ts'
import { fail, ok, type Result } from '../core/result.ts'
import type { SiteGround } from '../core/rules/index.ts'
import { countPages } from '../data/pages.ts'
import { countWaiting } from '../data/waiting.ts'
import type { Actor, Context, SiteViews } from './context.ts'
import type { placementsService } from './placements.ts'
import type { publicationsService } from './publications.ts'
import { shownPlacement } from './shown-placement.ts'

/** Links shown with a finding; the finding's own view has them all. */
const EXAMPLES = 5

type Findings = Pick<Desk, 'unmarked' | 'findings' | 'links' | 'pages'>

export function deskService(
  { db }: Context,
  views: SiteViews,
  placements: ReturnType<typeof placementsService>,
  publications: ReturnType<typeof publicationsService>,
) {
  async function look(actor: Actor, view: SiteGround): Promise<Findings> {
    const list = await placements.listOf(actor.siteId, view)
    const { found, pages, findings } = list.ask({ finding: 'unmarked' })
    const all = list.ask({})
    const examples = [...found.slice(0, EXAMPLES)].flatMap((i) => {
      const judged = list.judgedAt(i)
      return judged === null ? [] : [shownPlacement(actor, judged, list.paths, list.findingsAt(i))]
    })
    return {
      unmarked: { total: findings.unmarked ?? 0, pages, examples },
      findings: Object.entries(all.findings).map(([finding, links]) => ({ finding: finding as Finding, links })),
      links: list.total,
      pages: await countPages(db, actor.siteId),
    }
  }

  return {
    /** What needs a hand today. */
    async look(actor: Actor): Promise<Result<Desk, 'forbidden'>> {
      const unpublished = await publications.unpublished(actor)
      if (!unpublished.ok) return fail('forbidden')
      const view = await views.of(actor)
      return ok({
        unpublished: unpublished.value,
        ...(await look(actor, view)),
        waiting: await countWaiting(db, actor.siteId),
        hasPartners: view.setup.partners.length > 0,
        hasRules: view.rules.length > 0,
      })
    },
  }
}
