import { shortLinks } from '../../../../../contract/short-links.ts'
import { answer } from '../../_answer.ts'

export const POST = answer(shortLinks.putBack, ({ actor, services, id }) => services.shortLinks.putBack(actor, id))
