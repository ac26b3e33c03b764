import { checks } from '../../../../contract/checks.ts'
import { answer } from '../_answer.ts'

export const POST = answer(checks.mend, ({ actor, services, body }) => services.checks.mend(actor, body))
