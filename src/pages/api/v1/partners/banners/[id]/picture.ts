import { partnerLinks } from '../../../../../../contract/partner-links.ts'
import { answer } from '../../../_answer.ts'

export const POST = answer(partnerLinks.keepPicture, ({ actor, services, id }) => services.partnerLinks.keepPicture(actor, id))
