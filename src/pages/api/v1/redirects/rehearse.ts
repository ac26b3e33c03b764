import { redirectTrials } from '../../../../contract/redirect-trials.ts'
import { ADDRESS_MAX_CHARS } from '../../../../core/address/index.ts'
import { fail, ok } from '../../../../core/result.ts'
import { answer } from '../_answer.ts'
import { readUpload } from '../_form.ts'

export const POST = answer(redirectTrials.rehearse, async ({ actor, services, request }) => {
  const form = await readUpload(request)
  const address = form?.fields.address
  if (form === null || (form.file === null && address === undefined)) return fail('upload-missing')
  const { redirectTrials: trials } = services
  const started =
    form.file !== null
      ? await trials.startRehearsal(actor, form.file)
      : await trials.startRehearsalOf(actor, String(address).slice(0, ADDRESS_MAX_CHARS))
  return started.ok ? ok({ job: started.value }) : started
})
