import { partners } from '../../../../contract/partners.ts'
import { answer } from '../_answer.ts'

export const GET = answer(partners.list, ({ actor, services }) => services.partners.list(actor))

export const POST = answer(partners.create, ({ actor, services, body }) => services.partners.create(actor, body))
