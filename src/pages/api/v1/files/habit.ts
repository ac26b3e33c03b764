import { files } from '../../../../contract/files.ts'
import { answer } from '../_answer.ts'

export const PUT = answer(files.setHabit, ({ actor, services, body }) => services.files.setHabit(actor, body))
