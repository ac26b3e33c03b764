import { API } from '../../../../../contract/api.ts'
import { answer } from '../../_answer.ts'

export const POST = answer(API.putBlock, ({ actor, services, id, body }) => services.blocks.put(actor, id, body))
