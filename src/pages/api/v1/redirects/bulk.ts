import { redirectLists } from '../../../../contract/redirect-lists.ts'
import { ok } from '../../../../core/result.ts'
import { answer } from '../_answer.ts'
import { bodyOf } from '../_form.ts'

export const POST = answer(redirectLists.bulk, async ({ actor, services, query, request }) => {
  const started = await services.redirectLists.start(actor, bodyOf(request), query)
  return started.ok ? ok({ job: started.value }) : started
})
