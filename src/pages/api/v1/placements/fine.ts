import { API } from '../../../../contract/api.ts'
import { answer } from '../_answer.ts'

export const POST = answer(API.markFine, ({ actor, services, body }) => services.placements.markFine(actor, body))
