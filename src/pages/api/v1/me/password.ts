import { API } from '../../../../contract/api.ts'
import { answer } from '../_answer.ts'

export const PUT = answer(API.changePassword, ({ actor, services, body }) => services.people.changePassword(actor, body))
