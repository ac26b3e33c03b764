import { rules } from '../../../../contract/rules.ts'
import { answer } from '../_answer.ts'

export const GET = answer(rules.list, ({ actor, services }) => services.rules.list(actor))

export const PUT = answer(rules.save, ({ actor, services, body }) => services.rules.save(actor, body))
