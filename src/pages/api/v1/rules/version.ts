import { API } from '../../../../contract/api.ts'
import { answer } from '../_answer.ts'

export const GET = answer(API.ruleVersion, ({ actor, services, query }) => services.rules.version(actor, query.version))
