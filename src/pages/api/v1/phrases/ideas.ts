import { phrases } from '../../../../contract/phrases.ts'
import { answer } from '../_answer.ts'

export const GET = answer(phrases.ideas, ({ actor, services, query }) => services.phrases.ideas(actor, query.destination))
