import { API } from '../../../../contract/api.ts'
import { answer } from '../_answer.ts'

export const GET = answer(API.rulesHistory, ({ actor, services }) => services.rules.history(actor))
