import { placements } from '../../../../contract/placements.ts'
import { answer } from '../_answer.ts'

export const GET = answer(placements.list, ({ actor, services, query }) => services.placements.list(actor, query))
