import { hosts } from '../../../../../contract/hosts.ts'
import { answer } from '../../_answer.ts'

export const GET = answer(hosts.uses, ({ actor, services, id }) => services.hosts.uses(actor, id))
