import { files } from '../../../../contract/files.ts'
import { answer, uploaded } from '../_answer.ts'

export const GET = answer(files.list, ({ actor, services, query }) => services.files.list(actor, query))
export const POST = answer(files.upload, async ({ actor, services, request }) => {
  const file = await uploaded(request)
  return file.ok ? services.files.upload(actor, file.value) : file
})
