import { API } from '../../../../../contract/api.ts'
import { answer } from '../../_answer.ts'

export const GET = answer(API.pageDifference, ({ actor, services, id }) => services.publications.difference(actor, id))
