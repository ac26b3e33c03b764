import { pages } from '../../../../contract/pages.ts'
import { answer } from '../_answer.ts'

export const GET = answer(pages.source, ({ actor, services, id }) => services.pages.source(actor, id))

export const PATCH = answer(pages.change, ({ actor, services, id, body }) => services.pages.change(actor, id, body))
