import { redirects } from '../../../../contract/redirects.ts'
import { answer } from '../_answer.ts'

export const GET = answer(redirects.get, ({ actor, services, id }) => services.redirects.get(actor, id))

export const PATCH = answer(redirects.change, ({ actor, services, id, body }) => services.redirects.change(actor, id, body))

export const DELETE = answer(redirects.remove, ({ actor, services, id }) => services.redirects.remove(actor, id))
