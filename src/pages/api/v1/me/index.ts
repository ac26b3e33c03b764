import { people } from '../../../../contract/people.ts'
import { PERMISSIONS } from '../../../../contract/permissions.ts'
import { ok } from '../../../../core/result.ts'
import { answer } from '../_answer.ts'

export const GET = answer(people.me, async ({ actor, services }) => {
  const view = await services.views.of(actor)
  return ok({
    name: actor.name,
    email: actor.email,
    role: actor.role,
    permissions: PERMISSIONS.filter((permission) => actor.can(permission)),
    site: view.setup.name,
  })
})
