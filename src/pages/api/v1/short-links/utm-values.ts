import { shortLinkSteps } from '../../../../contract/short-link-steps.ts'
import { answer } from '../_answer.ts'

export const GET = answer(shortLinkSteps.utmValues, ({ actor, services }) => services.shortLinkSteps.utmValues(actor))
