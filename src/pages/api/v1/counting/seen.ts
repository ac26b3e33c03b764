import { counting } from '../../../../contract/counting.ts'
import { answer } from '../_answer.ts'

export const GET = answer(counting.seen, ({ actor, services, query }) => services.counting.seen(actor, query))
