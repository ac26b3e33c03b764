import { shortLinks } from '../../../../../contract/short-links.ts'
import { answer } from '../../_answer.ts'

export const GET = answer(shortLinks.history, ({ actor, services, id }) => services.shortLinks.history(actor, id))
