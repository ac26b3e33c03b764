import { API } from '../../../../contract/api.ts'
import { answer } from '../_answer.ts'

export const POST = answer(API.reviewPublication, ({ actor, services, body }) => services.publications.review(actor, body))
