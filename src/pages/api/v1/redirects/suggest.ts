import { redirectReview } from '../../../../contract/redirect-review.ts'
import { answer } from '../_answer.ts'

export const POST = answer(redirectReview.suggest, ({ actor, services, body }) => services.redirectReview.suggest(actor, body))
