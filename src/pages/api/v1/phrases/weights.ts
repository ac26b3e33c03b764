import { phrases } from '../../../../contract/phrases.ts'
import { answer } from '../_answer.ts'

export const GET = answer(phrases.weights, ({ actor, services }) => services.phrases.weights(actor))

export const PUT = answer(phrases.weigh, ({ actor, services, body }) => services.phrases.weigh(actor, body))
