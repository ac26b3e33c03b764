import { partnerLinks } from '../../../../../contract/partner-links.ts'
import { answer } from '../../_answer.ts'

export const GET = answer(partnerLinks.banners, ({ actor, services, query }) => services.partnerLinks.banners(actor, query.partnerId))

export const POST = answer(partnerLinks.keepBanner, ({ actor, services, body }) => services.partnerLinks.keepBanner(actor, body))
