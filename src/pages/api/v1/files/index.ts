import { API } from '../../../../contract/api.ts'
import { answer, uploaded } from '../_answer.ts'

export const GET = answer(API.listFiles, ({ actor, services, query }) => services.files.list(actor, query))
export const POST = answer(API.uploadFile, async ({ actor, services, request }) => {
  const file = await uploaded(request)
  return file.ok ? services.files.upload(actor, file.value) : file
})
