import { imports, UPLOAD_MAX_BYTES } from '../../../../contract/imports.ts'
import { fail, ok } from '../../../../core/result.ts'
import { answer } from '../_answer.ts'
import { readUpload } from '../_form.ts'

/** What the multipart wrapping may add to the file itself. */
const WRAPPING_BYTES = 64 * 1024

export const POST = answer(imports.start, async ({ actor, services, request }) => {
  if (Number(request.headers.get('content-length') ?? 0) > UPLOAD_MAX_BYTES + WRAPPING_BYTES) return fail('upload-too-large')
  const form = await readUpload(request)
  if (form === null || form.file === null) return fail('upload-missing')
  const started = await services.imports.start(actor, {
    ...form.file,
    dryRun: ['true', '1', 'on', 'yes'].includes((form.fields.dryRun ?? '').toLowerCase()),
    leaveOff: form.fields.leaveOff ?? '',
  })
  return started.ok ? ok({ job: started.value }) : started
})
