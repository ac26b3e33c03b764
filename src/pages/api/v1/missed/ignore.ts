import { missed } from '../../../../contract/missed.ts'
import { answer } from '../_answer.ts'

export const POST = answer(missed.ignore, ({ actor, services, body }) => services.missed.ignore(actor, body))
