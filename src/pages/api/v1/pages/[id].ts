import { API } from '../../../../contract/api.ts'
import { answer } from '../_answer.ts'

export const GET = answer(API.pageSource, ({ actor, services, id }) => services.pages.source(actor, id))

export const PATCH = answer(API.changePage, ({ actor, services, id, body }) => services.pages.change(actor, id, body))
