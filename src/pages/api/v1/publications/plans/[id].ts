import { publications } from '../../../../../contract/publications.ts'
import { answer } from '../../_answer.ts'

export const DELETE = answer(publications.cancelPlan, ({ actor, services, id }) => services.publications.cancelPlan(actor, id))
