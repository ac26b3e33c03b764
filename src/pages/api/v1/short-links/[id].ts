import { API } from '../../../../contract/api.ts'
import { answer } from '../_answer.ts'

export const GET = answer(API.getShortLink, ({ actor, services, id }) => services.shortLinks.get(actor, id))

export const PATCH = answer(API.changeShortLink, ({ actor, services, id, body }) => services.shortLinks.change(actor, id, body))

export const DELETE = answer(API.removeShortLink, ({ actor, services, id }) => services.shortLinks.remove(actor, id))
