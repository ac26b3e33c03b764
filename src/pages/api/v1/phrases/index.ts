import { phrases } from '../../../../contract/phrases.ts'
import { answer } from '../_answer.ts'

export const GET = answer(phrases.list, ({ actor, services, query }) => services.phrases.list(actor, query))

export const POST = answer(phrases.create, ({ actor, services, body }) => services.phrases.create(actor, body))
