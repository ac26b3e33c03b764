import { redirects } from '../../../../contract/redirects.ts'
import { answer } from '../_answer.ts'

export const GET = answer(redirects.list, ({ actor, services, query }) => services.redirects.list(actor, query))

export const POST = answer(redirects.create, ({ actor, services, body }) => services.redirects.create(actor, body))
