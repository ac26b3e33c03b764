import { pages } from '../../../../../contract/pages.ts'
import { answer } from '../../_answer.ts'

export const POST = answer(pages.presence, ({ actor, services, id, body }) => services.pages.presence(actor, id, body))
