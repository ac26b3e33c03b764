import { rules } from '../../../../contract/rules.ts'
import { answer } from '../_answer.ts'

export const POST = answer(rules.impact, ({ actor, services, body }) => services.rules.impact(actor, body))
