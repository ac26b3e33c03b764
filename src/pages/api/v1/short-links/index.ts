import { shortLinks } from '../../../../contract/short-links.ts'
import { answer } from '../_answer.ts'

export const GET = answer(shortLinks.list, ({ actor, services, query }) => services.shortLinks.list(actor, query))

export const POST = answer(shortLinks.create, ({ actor, services, body }) => services.shortLinks.create(actor, body))
