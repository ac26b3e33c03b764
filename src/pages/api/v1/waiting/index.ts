import { waiting } from '../../../../contract/waiting.ts'
import { answer } from '../_answer.ts'

export const GET = answer(waiting.list, ({ actor, services }) => services.waiting.list(actor))
