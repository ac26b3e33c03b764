import { partners } from '../../../../../contract/partners.ts'
import { answer } from '../../_answer.ts'

export const POST = answer(partners.reveal, ({ actor, services, id }) => services.partners.reveal(actor, id))

export const PUT = answer(partners.keepLogIn, ({ actor, services, id, body }) => services.partners.keepLogIn(actor, id, body))
