import { API } from '../../../../../contract/api.ts'
import { answer } from '../../_answer.ts'

export const PATCH = answer(API.changePerson, ({ actor, services, id, body }) => services.people.change(actor, id, body))
export const DELETE = answer(API.endPerson, ({ actor, services, id }) => services.people.end(actor, id))
