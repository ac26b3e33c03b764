import { shortLinkSteps } from '../../../../../contract/short-link-steps.ts'
import { answer } from '../../_answer.ts'

export const POST = answer(shortLinkSteps.create, ({ actor, services, body }) => services.shortLinkSteps.create(actor, body))
