import { checks } from '../../../../../contract/checks.ts'
import { answer } from '../../_answer.ts'

export const PUT = answer(checks.fine, ({ actor, services, id, body }) => services.checks.fine(actor, id, body))
