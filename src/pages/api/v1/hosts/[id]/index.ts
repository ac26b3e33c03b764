import { hosts } from '../../../../../contract/hosts.ts'
import { answer } from '../../_answer.ts'

export const PATCH = answer(hosts.change, ({ actor, services, id, body }) => services.hosts.change(actor, id, body))
export const DELETE = answer(hosts.remove, ({ actor, services, id }) => services.hosts.remove(actor, id))
