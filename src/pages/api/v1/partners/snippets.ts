import { partnerLinks } from '../../../../contract/partner-links.ts'
import { answer } from '../_answer.ts'

export const POST = answer(partnerLinks.cleanSnippet, async ({ actor, services, body }) =>
  services.partnerLinks.cleanSnippet(actor, body.html),
)
