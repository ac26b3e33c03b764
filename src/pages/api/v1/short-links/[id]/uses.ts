import { shortLinks } from '../../../../../contract/short-links.ts'
import { answer } from '../../_answer.ts'

export const GET = answer(shortLinks.uses, ({ actor, services, id }) => services.shortLinks.uses(actor, id))
