import { partnerLinks } from '../../../../contract/partner-links.ts'
import { answer } from '../_answer.ts'

export const POST = answer(partnerLinks.create, ({ actor, services, body }) => services.partnerLinks.create(actor, body))
