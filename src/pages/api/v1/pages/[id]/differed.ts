import { pages } from '../../../../../contract/pages.ts'
import { answer } from '../../_answer.ts'

export const POST = answer(pages.differed, ({ actor, services, id, body }) => services.pages.differed(actor, id, body.how))
