import { rules } from '../../../../contract/rules.ts'
import { answer } from '../_answer.ts'

export const GET = answer(rules.version, ({ actor, services, query }) => services.rules.version(actor, query.version))
