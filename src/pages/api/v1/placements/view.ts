import { API } from '../../../../contract/api.ts'
import { answer } from '../_answer.ts'

export const GET = answer(API.viewPlacements, ({ actor, services, query }) => services.placements.view(actor, query))
