import { shortLinks } from '../../../../contract/short-links.ts'
import { answer } from '../_answer.ts'

export const POST = answer(shortLinks.named, ({ actor, services, body }) => services.shortLinks.named(actor, body.links))
