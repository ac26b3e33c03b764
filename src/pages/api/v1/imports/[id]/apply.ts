import { API } from '../../../../../contract/api.ts'
import { ok } from '../../../../../core/result.ts'
import { answer } from '../../_answer.ts'

export const POST = answer(API.applyImport, async ({ actor, services, id, body }) => {
  const started = await services.imports.again(actor, id, body)
  return started.ok ? ok({ job: started.value }) : started
})
