import { API } from '../../../../../contract/api.ts'
import { answer } from '../../_answer.ts'

export const POST = answer(API.linkPerson, ({ actor, services, id, request }) =>
  services.people.link(actor, id, new URL(request.url).origin),
)
