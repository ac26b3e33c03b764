import { imports } from '../../../../../contract/imports.ts'
import { ok } from '../../../../../core/result.ts'
import { answer } from '../../_answer.ts'

export const POST = answer(imports.again, async ({ actor, services, id, body }) => {
  const started = await services.imports.again(actor, id, body)
  return started.ok ? ok({ job: started.value }) : started
})
