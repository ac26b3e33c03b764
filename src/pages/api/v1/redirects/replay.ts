import { redirectTrials } from '../../../../contract/redirect-trials.ts'
import { fail, ok } from '../../../../core/result.ts'
import { answer } from '../_answer.ts'

export const POST = answer(redirectTrials.replay, async ({ actor, services, request }) => {
  const form = await request.formData().catch(() => null)
  const file = form?.get('file')
  if (form === null || !(file instanceof File)) return fail('upload-missing')
  const started = await services.redirectTrials.startReplay(actor, {
    bytes: new Uint8Array(await file.arrayBuffer()),
    rows: String(form.get('rows') ?? ''),
    host: String(form.get('host') ?? ''),
  })
  return started.ok ? ok({ job: started.value }) : started
})
