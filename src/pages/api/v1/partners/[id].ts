import { partners } from '../../../../contract/partners.ts'
import { answer } from '../_answer.ts'

export const PUT = answer(partners.change, ({ actor, services, id, body }) => services.partners.change(actor, id, body))

export const DELETE = answer(partners.remove, ({ actor, services, id }) => services.partners.remove(actor, id))
