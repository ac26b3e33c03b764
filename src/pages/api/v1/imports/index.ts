import { imports, UPLOAD_MAX_BYTES } from '../../../../contract/imports.ts'
import { fail, ok } from '../../../../core/result.ts'
import { answer } from '../_answer.ts'
import { takeUpload } from '../_form.ts'

/** What the multipart wrapping may add to the file itself. */
const WRAPPING_BYTES = 64 * 1024

export const POST = answer(imports.start, async ({ actor, services, request }) => {
  if (Number(request.headers.get('content-length') ?? 0) > UPLOAD_MAX_BYTES + WRAPPING_BYTES) return fail('upload-too-large')
  const form = await takeUpload(request, (file, fields) =>
    services.imports.start(actor, file, async () => {
      const { dryRun = '', leaveOff = '' } = await fields()
      return { dryRun: ['true', '1', 'on', 'yes'].includes(dryRun.toLowerCase()), leaveOff }
    }),
  )
  const started = form?.taken ?? fail('upload-missing')
  return started.ok ? ok({ job: started.value }) : started
})
