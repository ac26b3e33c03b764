import { sites } from '../../../contract/sites.ts'
import { answer } from './_answer.ts'

export const GET = answer(sites.get, ({ actor, services }) => services.sites.get(actor))
export const PATCH = answer(sites.change, ({ actor, services, body }) => services.sites.change(actor, body))
