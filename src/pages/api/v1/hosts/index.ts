import { hosts } from '../../../../contract/hosts.ts'
import { answer } from '../_answer.ts'

export const GET = answer(hosts.list, ({ actor, services }) => services.hosts.list(actor))
export const POST = answer(hosts.make, ({ actor, services, body }) => services.hosts.make(actor, body))
