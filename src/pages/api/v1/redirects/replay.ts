import { redirectTrials } from '../../../../contract/redirect-trials.ts'
import { fail, ok } from '../../../../core/result.ts'
import { answer } from '../_answer.ts'
import { readUpload } from '../_form.ts'

export const POST = answer(redirectTrials.replay, async ({ actor, services, request }) => {
  const form = await readUpload(request)
  if (form === null || form.file === null) return fail('upload-missing')
  const started = await services.redirectTrials.startReplay(actor, {
    bytes: form.file.bytes,
    rows: form.fields.rows ?? '',
    host: form.fields.host ?? '',
  })
  return started.ok ? ok({ job: started.value }) : started
})
