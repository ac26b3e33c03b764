import { redirectSteps } from '../../../../../contract/redirect-steps.ts'
import { answer } from '../../_answer.ts'

export const GET = answer(redirectSteps.list, ({ actor, services }) => services.redirectSteps.list(actor))

export const POST = answer(redirectSteps.create, ({ actor, services, body }) => services.redirectSteps.create(actor, body))
