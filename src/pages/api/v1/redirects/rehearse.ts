import { redirectTrials } from '../../../../contract/redirect-trials.ts'
import { ADDRESS_MAX_CHARS } from '../../../../core/address/index.ts'
import { fail, ok } from '../../../../core/result.ts'
import { answer } from '../_answer.ts'
import { takeUpload } from '../_form.ts'

export const POST = answer(redirectTrials.rehearse, async ({ actor, services, request }) => {
  const { redirectTrials: trials } = services
  const form = await takeUpload(request, (file) => trials.startRehearsal(actor, file))
  const address = form?.fields.address
  if (form === null || (form.taken === null && address === undefined)) return fail('upload-missing')
  const started = form.taken ?? (await trials.startRehearsalOf(actor, String(address).slice(0, ADDRESS_MAX_CHARS)))
  return started.ok ? ok({ job: started.value }) : started
})
