import { blocks } from '../../../../contract/blocks.ts'
import { answer } from '../_answer.ts'

export const GET = answer(blocks.list, ({ actor, services }) => services.blocks.list(actor))
export const POST = answer(blocks.create, ({ actor, services, body }) => services.blocks.create(actor, body))
