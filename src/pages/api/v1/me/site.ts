import { people } from '../../../../contract/people.ts'
import { answer } from '../_answer.ts'

export const PUT = answer(people.goTo, ({ actor, services, body }) => services.people.goTo(actor, body.site))
