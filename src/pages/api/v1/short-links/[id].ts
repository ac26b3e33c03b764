import { shortLinks } from '../../../../contract/short-links.ts'
import { answer } from '../_answer.ts'

export const GET = answer(shortLinks.get, ({ actor, services, id }) => services.shortLinks.get(actor, id))

export const PATCH = answer(shortLinks.change, ({ actor, services, id, body }) => services.shortLinks.change(actor, id, body))

export const DELETE = answer(shortLinks.remove, ({ actor, services, id }) => services.shortLinks.remove(actor, id))
