import { placements } from '../../../../contract/placements.ts'
import { answer } from '../_answer.ts'

export const GET = answer(placements.details, ({ actor, services, query }) => services.placements.details(actor, query))
