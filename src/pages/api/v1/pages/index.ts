import { pages } from '../../../../contract/pages.ts'
import { answer } from '../_answer.ts'

export const GET = answer(pages.list, ({ actor, services, query }) => services.pages.list(actor, query))
export const POST = answer(pages.create, ({ actor, services, body }) => services.pages.create(actor, body))
