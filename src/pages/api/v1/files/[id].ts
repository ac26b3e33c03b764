import { API } from '../../../../contract/api.ts'
import { answer, uploaded } from '../_answer.ts'

export const PUT = answer(API.replaceFile, async ({ actor, services, id, request }) => {
  const file = await uploaded(request)
  return file.ok ? services.files.replace(actor, id, file.value) : file
})
