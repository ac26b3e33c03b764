import type { Desk } from '../contract/desk.ts'
import type { Placement } from '../contract/pages.ts'
import { fail, ok, type Result } from '../core/result.ts'
import type { CompiledSite } from '../core/rules/index.ts'
import { rows } from '../data/database.ts'
import { contentStamp, ownPaths } from '../data/pages.ts'
import type { Actor, Context, SiteViews } from './context.ts'
import { isUnmarked, type placementsService, shownPlacement } from './placements.ts'
import type { publicationsService } from './publications.ts'

/** Links shown with a finding; the finding's own view has them all. */
const EXAMPLES = 5

type Findings = Pick<Desk, 'unmarked' | 'links' | 'pages'>

export function deskService(
  { db }: Context,
  views: SiteViews,
  placements: ReturnType<typeof placementsService>,
  publications: ReturnType<typeof publicationsService>,
) {
  /** What was found last, and for which state of the site: a large one takes seconds to look through. */
  const known = new Map<string, { stamp: string; findings: Promise<Findings> }>()

  async function look(siteId: string, view: CompiledSite): Promise<Findings> {
    const paths = await ownPaths(db, siteId)
    const pages = new Set<string>()
    const examples: Placement[] = []
    let links = 0
    let total = 0
    for await (const judged of placements.judgeAll(siteId, view)) {
      links++
      if (!isUnmarked(judged)) continue
      total++
      pages.add(judged.row.pageId)
      if (examples.length < EXAMPLES) examples.push(shownPlacement(judged, paths))
    }
    const [count] = await rows<{ pages: number }>(db, 'SELECT count(*)::int AS pages FROM pages WHERE site_id = $1', [siteId])
    return { unmarked: { total, pages: pages.size, examples }, links, pages: count?.pages ?? 0 }
  }

  return {
    /** What needs a hand today. */
    async look(actor: Actor): Promise<Result<Desk, 'forbidden'>> {
      const unpublished = await publications.unpublished(actor)
      if (!unpublished.ok) return fail('forbidden')
      const view = await views.of(actor)
      const stamp = await contentStamp(db, actor.siteId)
      let found = known.get(actor.siteId)
      if (found?.stamp !== stamp) {
        found = { stamp, findings: look(actor.siteId, view) }
        known.set(actor.siteId, found)
        found.findings.catch(() => known.delete(actor.siteId))
      }
      return ok({
        unpublished: unpublished.value,
        ...(await found.findings),
        hasPartners: view.setup.partners.length > 0,
        hasRules: view.rules.length > 0,
      })
    },
  }
}
