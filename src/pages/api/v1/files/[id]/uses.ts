import { API } from '../../../../../contract/api.ts'
import { answer } from '../../_answer.ts'

export const GET = answer(API.fileUses, ({ actor, services, id }) => services.files.uses(actor, id))
