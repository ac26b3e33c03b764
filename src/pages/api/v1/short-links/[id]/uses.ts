import { API } from '../../../../../contract/api.ts'
import { answer } from '../../_answer.ts'

export const GET = answer(API.shortLinkUses, ({ actor, services, id }) => services.shortLinks.uses(actor, id))
