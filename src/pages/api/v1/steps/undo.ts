import { steps } from '../../../../contract/steps.ts'
import { answer } from '../_answer.ts'

export const POST = answer(steps.undo, ({ actor, services, body }) => services.steps.undo(actor, body))
