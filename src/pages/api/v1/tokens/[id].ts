import { API } from '../../../../contract/api.ts'
import { answer } from '../_answer.ts'

export const DELETE = answer(API.revokeToken, ({ actor, services, id }) => services.tokens.revoke(actor, id))
