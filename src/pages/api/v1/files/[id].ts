import { files } from '../../../../contract/files.ts'
import { answer, uploaded } from '../_answer.ts'

export const PUT = answer(files.replace, async ({ actor, services, id, request }) => {
  const file = await uploaded(request)
  return file.ok ? services.files.replace(actor, id, file.value) : file
})
