import { imports, UPLOAD_MAX_BYTES } from '../../../../contract/imports.ts'
import { fail, ok } from '../../../../core/result.ts'
import { answer } from '../_answer.ts'

/** What the multipart wrapping may add to the file itself. */
const WRAPPING_BYTES = 64 * 1024

export const POST = answer(imports.start, async ({ actor, services, request }) => {
  if (Number(request.headers.get('content-length') ?? 0) > UPLOAD_MAX_BYTES + WRAPPING_BYTES) return fail('upload-too-large')
  const form = await request.formData().catch(() => null)
  const file = form?.get('file')
  if (form === null || !(file instanceof File)) return fail('upload-missing')
  const started = await services.imports.start(actor, {
    name: file.name,
    bytes: new Uint8Array(await file.arrayBuffer()),
    dryRun: ['true', '1', 'on', 'yes'].includes(String(form.get('dryRun') ?? '').toLowerCase()),
    leaveOff: String(form.get('leaveOff') ?? ''),
  })
  return started.ok ? ok({ job: started.value }) : started
})
