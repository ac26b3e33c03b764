import { shortLinks } from '../../../../contract/short-links.ts'
import { answer } from '../_answer.ts'

export const GET = answer(shortLinks.tags, ({ actor, services }) => services.shortLinks.tags(actor))
