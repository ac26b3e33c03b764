import { partnerLinks } from '../../../../contract/partner-links.ts'
import { answer } from '../_answer.ts'

export const POST = answer(partnerLinks.tryTemplate, ({ actor, services, body }) => services.partnerLinks.tryTemplate(actor, body))
