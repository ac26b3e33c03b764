import { redirects } from '../../../../contract/redirects.ts'
import { answer } from '../_answer.ts'

export const POST = answer(redirects.bench, ({ actor, services, body }) => services.redirects.bench(actor, body))
