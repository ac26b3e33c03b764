import { API } from '../../../../../contract/api.ts'
import { answer } from '../../_answer.ts'

export const POST = answer(API.removePage, ({ actor, services, id, body }) => services.pages.remove(actor, id, body))
