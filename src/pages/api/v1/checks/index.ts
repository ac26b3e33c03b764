import { checks } from '../../../../contract/checks.ts'
import { answer } from '../_answer.ts'

export const GET = answer(checks.list, ({ actor, services, query }) => services.checks.list(actor, query))
export const POST = answer(checks.start, ({ actor, services, body }) => services.checks.start(actor, body))
