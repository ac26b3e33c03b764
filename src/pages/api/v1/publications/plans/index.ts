import { API } from '../../../../../contract/api.ts'
import { answer } from '../../_answer.ts'

export const GET = answer(API.listPlans, ({ actor, services }) => services.publications.plans(actor))
export const POST = answer(API.planPublication, ({ actor, services, body }) => services.publications.plan(actor, body))
