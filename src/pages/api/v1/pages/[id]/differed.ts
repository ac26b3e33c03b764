import { API } from '../../../../../contract/api.ts'
import { answer } from '../../_answer.ts'

export const POST = answer(API.tellDiffered, ({ actor, services, id, body }) => services.pages.differed(actor, id, body.how))
