import { redirectReview } from '../../../../../contract/redirect-review.ts'
import { answer } from '../../_answer.ts'

export const GET = answer(redirectReview.look, ({ actor, services, query }) => services.redirectReview.look(actor, query))
