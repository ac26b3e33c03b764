import { people } from '../../../../contract/people.ts'
import { answer } from '../_answer.ts'

export const PUT = answer(people.changePassword, ({ actor, services, body }) => services.people.changePassword(actor, body))
