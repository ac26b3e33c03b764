import { blocks } from '../../../../../contract/blocks.ts'
import { answer } from '../../_answer.ts'

export const GET = answer(blocks.uses, ({ actor, services, id }) => services.blocks.uses(actor, id))
