import type { Desk } from '../contract/desk.ts'
import { fail, ok, type Result } from '../core/result.ts'
import { rows } from '../data/database.ts'
import { ownPaths } from '../data/pages.ts'
import type { Actor, Context, SiteViews } from './context.ts'
import { isUnmarked, type placementsService, shownPlacement } from './placements.ts'
import type { publicationsService } from './publications.ts'

/** Links shown with a finding; the finding's own view has them all. */
const EXAMPLES = 5

export function deskService(
  { db }: Context,
  views: SiteViews,
  placements: ReturnType<typeof placementsService>,
  publications: ReturnType<typeof publicationsService>,
) {
  return {
    /** What needs a hand today. */
    async look(actor: Actor): Promise<Result<Desk, 'forbidden'>> {
      const unpublished = await publications.unpublished(actor)
      if (!unpublished.ok) return fail('forbidden')
      const view = await views.of(actor)
      const all = await placements.judgeAll(actor.siteId, view)
      const paths = await ownPaths(db, actor.siteId)
      const unmarked = all.filter(isUnmarked)
      const [count] = await rows<{ pages: number }>(db, 'SELECT count(*)::int AS pages FROM pages WHERE site_id = $1', [actor.siteId])
      return ok({
        unpublished: unpublished.value,
        unmarked: {
          total: unmarked.length,
          pages: new Set(unmarked.map(({ row }) => row.pageId)).size,
          examples: unmarked.slice(0, EXAMPLES).map((judged) => shownPlacement(judged, paths)),
        },
        pages: count?.pages ?? 0,
        links: all.length,
        hasPartners: view.setup.partners.length > 0,
        hasRules: view.rules.length > 0,
      })
    },
  }
}
