import { API } from '../../../../../contract/api.ts'
import { answer } from '../../_answer.ts'

export const PATCH = answer(API.changeHost, ({ actor, services, id, body }) => services.hosts.change(actor, id, body))
export const DELETE = answer(API.removeHost, ({ actor, services, id }) => services.hosts.remove(actor, id))
