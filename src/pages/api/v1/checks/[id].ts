import { checks } from '../../../../contract/checks.ts'
import { answer } from '../_answer.ts'

export const GET = answer(checks.get, ({ actor, services, id }) => services.checks.get(actor, id))
