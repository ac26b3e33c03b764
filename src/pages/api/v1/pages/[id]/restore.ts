import { API } from '../../../../../contract/api.ts'
import { answer } from '../../_answer.ts'

export const POST = answer(API.restorePage, ({ actor, services, id, body }) => services.pages.restore(actor, id, body))
