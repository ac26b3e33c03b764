import { API } from '../../../../../contract/api.ts'
import { answer } from '../../_answer.ts'

export const POST = answer(API.removeFile, ({ actor, services, id, body }) => services.files.remove(actor, id, body))
