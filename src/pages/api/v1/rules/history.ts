import { rules } from '../../../../contract/rules.ts'
import { answer } from '../_answer.ts'

export const GET = answer(rules.history, ({ actor, services }) => services.rules.history(actor))
