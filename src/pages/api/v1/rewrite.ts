import { rules } from '../../../contract/rules.ts'
import { answer } from './_answer.ts'

export const POST = answer(rules.rewrite, ({ actor, services, body }) => services.rules.rewrite(actor, body))
