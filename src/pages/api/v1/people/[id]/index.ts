import { people } from '../../../../../contract/people.ts'
import { answer } from '../../_answer.ts'

export const PATCH = answer(people.change, ({ actor, services, id, body }) => services.people.change(actor, id, body))
export const DELETE = answer(people.end, ({ actor, services, id }) => services.people.end(actor, id))
