import { files } from '../../../../../contract/files.ts'
import { answer } from '../../_answer.ts'

export const GET = answer(files.uses, ({ actor, services, id }) => services.files.uses(actor, id))
