import { phrases } from '../../../../contract/phrases.ts'
import { answer } from '../_answer.ts'

export const PATCH = answer(phrases.change, ({ actor, services, id, body }) => services.phrases.change(actor, id, body.priority))

export const DELETE = answer(phrases.remove, ({ actor, services, id }) => services.phrases.remove(actor, id))
