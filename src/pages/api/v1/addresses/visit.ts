import { API } from '../../../../contract/api.ts'
import { answer } from '../_answer.ts'

export const POST = answer(API.visit, ({ actor, services, body }) => services.visits.visit(actor, body.address))
