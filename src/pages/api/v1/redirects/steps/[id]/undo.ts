import { redirectSteps } from '../../../../../../contract/redirect-steps.ts'
import { ok } from '../../../../../../core/result.ts'
import { answer } from '../../../_answer.ts'

export const POST = answer(redirectSteps.undo, async ({ actor, services, id }) => {
  const started = await services.redirectSteps.undo(actor, id)
  return started.ok ? ok({ job: started.value }) : started
})
