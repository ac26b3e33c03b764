import { disclosure } from '../../../../contract/disclosure.ts'
import { answer } from '../_answer.ts'

export const POST = answer(disclosure.mend, ({ actor, services, body }) => services.disclosure.mend(actor, body.pageIds))
