import { tokens } from '../../../../contract/tokens.ts'
import { answer } from '../_answer.ts'

export const GET = answer(tokens.list, ({ actor, services }) => services.tokens.list(actor))
export const POST = answer(tokens.make, ({ actor, services, body }) => services.tokens.make(actor, body))
