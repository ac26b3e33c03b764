import { API } from '../../../../contract/api.ts'
import { answer } from '../_answer.ts'

export const GET = answer(API.listWaiting, ({ actor, services }) => services.waiting.list(actor))
