import { phrases } from '../../../../../contract/phrases.ts'
import { answer } from '../../_answer.ts'

export const GET = answer(phrases.ofPage, ({ actor, services, id }) => services.phraseChoice.ofPage(actor, id))

export const POST = answer(phrases.accept, ({ actor, services, id, body }) => services.phraseChoice.accept(actor, id, body))
