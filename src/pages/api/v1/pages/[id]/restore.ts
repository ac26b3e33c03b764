import { pages } from '../../../../../contract/pages.ts'
import { answer } from '../../_answer.ts'

export const POST = answer(pages.restore, ({ actor, services, id, body }) => services.pages.restore(actor, id, body))
