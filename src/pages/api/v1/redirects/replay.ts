import { redirectTrials } from '../../../../contract/redirect-trials.ts'
import { fail, ok } from '../../../../core/result.ts'
import { answer } from '../_answer.ts'
import { takeUpload } from '../_form.ts'

export const POST = answer(redirectTrials.replay, async ({ actor, services, request }) => {
  const form = await takeUpload(request, ({ bytes }, fields) => services.redirectTrials.startReplay(actor, bytes, fields))
  const started = form?.taken ?? fail('upload-missing')
  return started.ok ? ok({ job: started.value }) : started
})
