import { redirects } from '../../../../../contract/redirects.ts'
import { answer } from '../../_answer.ts'

export const POST = answer(redirects.restore, ({ actor, services, id, body }) => services.redirects.restore(actor, id, body))
