import { placements } from '../../../../contract/placements.ts'
import { answer } from '../_answer.ts'

export const GET = answer(placements.view, ({ actor, services, query }) => services.placements.view(actor, query))
