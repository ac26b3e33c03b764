import { publications } from '../../../../../contract/publications.ts'
import { answer } from '../../_answer.ts'

export const GET = answer(publications.plans, ({ actor, services }) => services.publications.plans(actor))
export const POST = answer(publications.plan, ({ actor, services, body }) => services.publications.plan(actor, body))
