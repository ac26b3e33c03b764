import { missed } from '../../../../contract/missed.ts'
import { answer } from '../_answer.ts'

export const GET = answer(missed.list, ({ actor, services, query }) => services.missed.list(actor, query))
