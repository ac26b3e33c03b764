import { API } from '../../../../../contract/api.ts'
import { answer } from '../../_answer.ts'

export const POST = answer(API.signPresence, ({ actor, services, id, body }) => services.pages.presence(actor, id, body))
