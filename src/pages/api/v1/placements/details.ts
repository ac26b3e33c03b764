import { API } from '../../../../contract/api.ts'
import { answer } from '../_answer.ts'

export const GET = answer(API.placementDetails, ({ actor, services, query }) => services.placements.details(actor, query))
