import { shortLinkSteps } from '../../../../contract/short-link-steps.ts'
import { answer } from '../_answer.ts'

export const POST = answer(shortLinkSteps.campaign, ({ actor, services, body }) => services.shortLinkSteps.campaign(actor, body))
