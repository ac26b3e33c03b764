import { API } from '../../../../contract/api.ts'
import { answer } from '../_answer.ts'

export const GET = answer(API.listRules, ({ actor, services }) => services.rules.list(actor))

export const PUT = answer(API.saveRules, ({ actor, services, body }) => services.rules.save(actor, body))
