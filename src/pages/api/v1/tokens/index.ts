import { API } from '../../../../contract/api.ts'
import { answer } from '../_answer.ts'

export const POST = answer(API.makeToken, ({ actor, services, body }) => services.people.makeToken(actor, body))
