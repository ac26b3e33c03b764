import { shortLinks } from '../../../../contract/short-links.ts'
import { answer } from '../_answer.ts'

export const POST = answer(shortLinks.suggest, ({ actor, services, body }) => services.shortLinks.suggest(actor, body))
