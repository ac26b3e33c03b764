import { menus } from '../../../../contract/menus.ts'
import { answer } from '../_answer.ts'

export const GET = answer(menus.list, ({ actor, services }) => services.menus.list(actor))
export const POST = answer(menus.create, ({ actor, services, body }) => services.menus.create(actor, body))
