import { API } from '../../../../contract/api.ts'
import { answer } from '../_answer.ts'

export const GET = answer(API.listHosts, ({ actor, services }) => services.hosts.list(actor))
export const POST = answer(API.makeHost, ({ actor, services, body }) => services.hosts.make(actor, body))
