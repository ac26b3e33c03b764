import { phrases } from '../../../../contract/phrases.ts'
import { answer } from '../_answer.ts'

export const GET = answer(phrases.review, ({ actor, services, query }) => services.phraseChoice.review(actor, query.job))
