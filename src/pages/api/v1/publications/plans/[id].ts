import { API } from '../../../../../contract/api.ts'
import { answer } from '../../_answer.ts'

export const DELETE = answer(API.cancelPlan, ({ actor, services, id }) => services.publications.cancelPlan(actor, id))
