import { API } from '../../../../contract/api.ts'
import { answer } from '../_answer.ts'

export const POST = answer(API.rulesImpact, ({ actor, services, body }) => services.rules.impact(actor, body.rules))
