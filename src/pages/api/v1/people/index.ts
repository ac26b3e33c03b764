import { API } from '../../../../contract/api.ts'
import { answer } from '../_answer.ts'

export const GET = answer(API.listPeople, ({ actor, services }) => services.people.list(actor))
export const POST = answer(API.addPerson, ({ actor, services, body, request }) =>
  services.people.add(actor, body, new URL(request.url).origin),
)
