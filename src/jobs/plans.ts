import type { Logger } from 'pino'
import type { Database } from '../data/database.ts'
import { claimPlan, tellPlan } from '../data/plans.ts'
import type { Services } from '../services/index.ts'
import { tell } from '../words/index.ts'

/** Publishes what was planned for now, in the name of the person who planned it, with that person's rights of today. */
export async function carryOutPlans(db: Database, services: Services, log: Logger): Promise<void> {
  for (let plan = await claimPlan(db); plan !== null; plan = await claimPlan(db)) {
    try {
      const actor = plan.personId === null ? null : await services.people.actorOf(plan.personId, plan.siteId)
      const made =
        actor === null ? null : await services.publications.create(actor, plan.pages === null ? { all: true } : { pages: plan.pages })
      if (made?.ok === true) await tellPlan(db, plan.id, 'done', tell('plan.published', { number: made.value.number }))
      else
        await tellPlan(
          db,
          plan.id,
          'failed',
          made === null ? tell('plan.nobody') : made.fault === 'nothing-to-publish' ? tell('plan.live-already') : tell('plan.not-allowed'),
        )
    } catch (error) {
      log.error({ err: error, plan: plan.id }, 'a planned publication failed')
      await tellPlan(db, plan.id, 'failed', tell('plan.our-side'))
    }
  }
}
