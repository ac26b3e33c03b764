import { API } from '../../../contract/api.ts'
import { answer } from './_answer.ts'

export const GET = answer(API.site, ({ actor, services }) => services.sites.get(actor))
export const PATCH = answer(API.changeSite, ({ actor, services, body }) => services.sites.change(actor, body))
