import { redirects } from '../../../../../contract/redirects.ts'
import { answer } from '../../_answer.ts'

export const GET = answer(redirects.history, ({ actor, services, id }) => services.redirects.history(actor, id))
