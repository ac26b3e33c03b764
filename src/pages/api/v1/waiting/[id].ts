import { waiting } from '../../../../contract/waiting.ts'
import { ok } from '../../../../core/result.ts'
import { answer } from '../_answer.ts'

export const POST = answer(waiting.decide, async ({ actor, services, id, body }) => {
  const decided = await services.waiting.decide(actor, id, body.accept)
  if (!decided.ok) return decided
  if (decided.value === null) return ok(null)
  const patched = await services.pages.patch(
    actor,
    decided.value.page,
    decided.value.patchSets.map((set) => [...set]),
    body.accept ? 'accept' : 'refuse',
  )
  return patched.ok ? ok(null) : patched
})
