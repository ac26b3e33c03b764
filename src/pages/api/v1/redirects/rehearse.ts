import { redirectTrials } from '../../../../contract/redirect-trials.ts'
import { ADDRESS_MAX_CHARS } from '../../../../core/address/index.ts'
import { fail, ok } from '../../../../core/result.ts'
import { answer } from '../_answer.ts'

export const POST = answer(redirectTrials.rehearse, async ({ actor, services, request }) => {
  const form = await request.formData().catch(() => null)
  const file = form?.get('file')
  const address = form?.get('address')
  if (form === null || (!(file instanceof File) && typeof address !== 'string')) return fail('upload-missing')
  const { redirectTrials: trials } = services
  const started =
    file instanceof File
      ? await trials.startRehearsal(actor, { bytes: new Uint8Array(await file.arrayBuffer()), name: file.name })
      : await trials.startRehearsalOf(actor, String(address).slice(0, ADDRESS_MAX_CHARS))
  return started.ok ? ok({ job: started.value }) : started
})
