import { API } from '../../../../../contract/api.ts'
import { answer } from '../../_answer.ts'

export const POST = answer(API.putBackShortLink, ({ actor, services, id }) => services.shortLinks.putBack(actor, id))
