import { pages } from '../../../../../contract/pages.ts'
import { answer } from '../../_answer.ts'

export const GET = answer(pages.history, ({ actor, services, id }) => services.pages.history(actor, id))
