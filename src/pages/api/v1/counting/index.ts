import { counting } from '../../../../contract/counting.ts'
import { answer } from '../_answer.ts'

export const GET = answer(counting.look, ({ actor, services }) => services.counting.look(actor))

export const PATCH = answer(counting.change, ({ actor, services, body }) => services.counting.change(actor, body))
