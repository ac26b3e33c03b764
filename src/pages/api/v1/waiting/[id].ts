import { API } from '../../../../contract/api.ts'
import { answer } from '../_answer.ts'

export const POST = answer(API.decideWaiting, async ({ actor, services, id, body }) => {
  const decided = await services.waiting.decide(actor, id, body.accept)
  if (!decided.ok || decided.value === null) return decided
  return services.pages.patch(
    actor,
    decided.value.page,
    decided.value.patchSets.map((set) => [...set]),
    body.accept ? 'accept' : 'refuse',
  )
})
