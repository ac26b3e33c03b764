import { menus } from '../../../../contract/menus.ts'
import { answer } from '../_answer.ts'

export const GET = answer(menus.get, ({ actor, services, id }) => services.menus.get(actor, id))
export const PUT = answer(menus.change, ({ actor, services, id, body }) => services.menus.change(actor, id, body))
