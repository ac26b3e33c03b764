import { imports } from '../../../../contract/imports.ts'
import { ok } from '../../../../core/result.ts'
import { answer } from '../_answer.ts'

export const POST = answer(imports.fetch, async ({ actor, services, body }) => {
  const started = await services.imports.fetch(actor, body)
  return started.ok ? ok({ job: started.value }) : started
})
