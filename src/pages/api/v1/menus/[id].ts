import { API } from '../../../../contract/api.ts'
import { answer } from '../_answer.ts'

export const GET = answer(API.getMenu, ({ actor, services, id }) => services.menus.get(actor, id))
export const PUT = answer(API.changeMenu, ({ actor, services, id, body }) => services.menus.change(actor, id, body))
