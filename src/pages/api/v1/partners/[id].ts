import { API } from '../../../../contract/api.ts'
import { answer } from '../_answer.ts'

export const PUT = answer(API.changePartner, ({ actor, services, id, body }) => services.partners.change(actor, id, body))

export const DELETE = answer(API.removePartner, ({ actor, services, id }) => services.partners.remove(actor, id))
