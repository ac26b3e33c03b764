import { API } from '../../../../contract/api.ts'
import { answer } from '../_answer.ts'

export const PUT = answer(API.setFileHabit, ({ actor, services, body }) => services.files.setHabit(actor, body))
