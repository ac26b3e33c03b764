import { tokens } from '../../../../contract/tokens.ts'
import { answer } from '../_answer.ts'

export const DELETE = answer(tokens.revoke, ({ actor, services, id }) => services.tokens.revoke(actor, id))
