import { partnerLinks } from '../../../../../../contract/partner-links.ts'
import { answer } from '../../../_answer.ts'

export const DELETE = answer(partnerLinks.removeBanner, ({ actor, services, id }) => services.partnerLinks.removeBanner(actor, id))
