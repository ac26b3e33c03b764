import { API } from '../../../../contract/api.ts'
import { answer } from '../_answer.ts'

export const GET = answer(API.listPages, ({ actor, services, query }) => services.pages.list(actor, query))
export const POST = answer(API.createPage, ({ actor, services, body }) => services.pages.create(actor, body))
