import { API } from '../../../../contract/api.ts'
import { answer } from '../_answer.ts'

export const GET = answer(API.listMenus, ({ actor, services }) => services.menus.list(actor))
export const POST = answer(API.createMenu, ({ actor, services, body }) => services.menus.create(actor, body))
