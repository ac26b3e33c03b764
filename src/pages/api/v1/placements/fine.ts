import { placements } from '../../../../contract/placements.ts'
import { answer } from '../_answer.ts'

export const POST = answer(placements.markFine, ({ actor, services, body }) => services.placements.markFine(actor, body))
