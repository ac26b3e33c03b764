import { shortLinkResults } from '../../../../../contract/short-link-results.ts'
import { answer } from '../../_answer.ts'

export const GET = answer(shortLinkResults.look, ({ actor, services, id, query }) => services.shortLinkResults.look(actor, id, query))
