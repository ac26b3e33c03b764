import { people } from '../../../../contract/people.ts'
import { answer } from '../_answer.ts'

export const GET = answer(people.list, ({ actor, services }) => services.people.list(actor))
export const POST = answer(people.add, ({ actor, services, body, request }) =>
  services.people.add(actor, body, new URL(request.url).origin),
)
