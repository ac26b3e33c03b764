import { API } from '../../../../contract/api.ts'
import { ok } from '../../../../core/result.ts'
import { answer } from '../_answer.ts'

export const POST = answer(API.fetchImport, async ({ actor, services, body }) => {
  const started = await services.imports.fetch(actor, body)
  return started.ok ? ok({ job: started.value }) : started
})
