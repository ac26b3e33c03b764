import { redirects } from '../../../../contract/redirects.ts'
import { answer } from '../_answer.ts'

export const GET = answer(redirects.facets, ({ actor, services }) => services.redirects.facets(actor))
