import { redirectReview } from '../../../../../contract/redirect-review.ts'
import { answer } from '../../_answer.ts'

export const POST = answer(redirectReview.mend, ({ actor, services, body }) => services.redirectReview.mend(actor, body))
