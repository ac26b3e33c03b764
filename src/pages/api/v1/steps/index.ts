import { steps } from '../../../../contract/steps.ts'
import { answer } from '../_answer.ts'

export const GET = answer(steps.list, ({ actor, services, query }) => services.steps.list(actor, query))
