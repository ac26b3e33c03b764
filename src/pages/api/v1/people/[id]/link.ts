import { people } from '../../../../../contract/people.ts'
import { answer } from '../../_answer.ts'

export const POST = answer(people.link, ({ actor, services, id, request }) => services.people.link(actor, id, new URL(request.url).origin))
