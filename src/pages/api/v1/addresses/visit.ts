import { visits } from '../../../../contract/visits.ts'
import { answer } from '../_answer.ts'

export const POST = answer(visits.visit, ({ actor, services, body }) => services.visits.visit(actor, body.address))
