import { blocks } from '../../../../../contract/blocks.ts'
import { answer } from '../../_answer.ts'

export const POST = answer(blocks.put, ({ actor, services, id, body }) => services.blocks.put(actor, id, body))
