import { redirects } from '../../../../../contract/redirects.ts'
import { answer } from '../../_answer.ts'

export const POST = answer(redirects.putBack, ({ actor, services, id }) => services.redirects.putBack(actor, id))
