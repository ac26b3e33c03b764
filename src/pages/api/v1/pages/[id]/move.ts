import { pages } from '../../../../../contract/pages.ts'
import { answer } from '../../_answer.ts'

export const POST = answer(pages.move, ({ actor, services, id, body }) => services.pageMoves.move(actor, id, body))
