import { redirects } from '../../../../contract/redirects.ts'
import { answer } from '../_answer.ts'

export const POST = answer(redirects.outcome, ({ actor, services, body }) => services.redirects.outcome(actor, body))
