import { API } from '../../../../contract/api.ts'
import { answer } from '../_answer.ts'

export const GET = answer(API.listBlocks, ({ actor, services }) => services.blocks.list(actor))
export const POST = answer(API.createBlock, ({ actor, services, body }) => services.blocks.create(actor, body))
