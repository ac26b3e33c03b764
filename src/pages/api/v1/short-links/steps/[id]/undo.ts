import { shortLinkSteps } from '../../../../../../contract/short-link-steps.ts'
import { answer } from '../../../_answer.ts'

export const POST = answer(shortLinkSteps.undo, ({ actor, services, id }) => services.shortLinkSteps.undo(actor, id))
