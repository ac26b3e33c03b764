import { API } from '../../../../contract/api.ts'
import { answer } from '../_answer.ts'

export const POST = answer(API.namedShortLinks, ({ actor, services, body }) => services.shortLinks.named(actor, body.links))
