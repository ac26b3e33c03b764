import { API } from '../../../../contract/api.ts'
import { answer } from '../_answer.ts'

export const GET = answer(API.listTokens, ({ actor, services }) => services.tokens.list(actor))
export const POST = answer(API.makeToken, ({ actor, services, body }) => services.tokens.make(actor, body))
