import { files } from '../../../../../contract/files.ts'
import { answer } from '../../_answer.ts'

export const POST = answer(files.remove, ({ actor, services, id, body }) => services.files.remove(actor, id, body))
