import { API } from '../../../../contract/api.ts'
import { answer } from '../_answer.ts'

export const GET = answer(API.listShortLinks, ({ actor, services, query }) => services.shortLinks.list(actor, query))

export const POST = answer(API.createShortLink, ({ actor, services, body }) => services.shortLinks.create(actor, body))
