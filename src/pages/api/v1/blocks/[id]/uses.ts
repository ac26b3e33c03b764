import { API } from '../../../../../contract/api.ts'
import { answer } from '../../_answer.ts'

export const GET = answer(API.blockUses, ({ actor, services, id }) => services.blocks.uses(actor, id))
