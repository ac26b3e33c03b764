import { pages } from '../../../../../contract/pages.ts'
import { answer } from '../../_answer.ts'

export const POST = answer(pages.remove, ({ actor, services, id, body }) => services.pages.remove(actor, id, body))
