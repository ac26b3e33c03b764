import { API } from '../../../../contract/api.ts'
import { answer } from '../_answer.ts'

export const GET = answer(API.listPlacements, ({ actor, services, query }) => services.placements.list(actor, query))
