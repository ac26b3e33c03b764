import { phrases } from '../../../../../contract/phrases.ts'
import { answer } from '../../_answer.ts'

export const POST = answer(phrases.refuse, ({ actor, services, id, body }) => services.phrases.refuse(actor, id, body.pageId))

export const DELETE = answer(phrases.allow, ({ actor, services, id }) => services.phrases.allow(actor, id))
