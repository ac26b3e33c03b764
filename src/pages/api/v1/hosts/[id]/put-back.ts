import { hosts } from '../../../../../contract/hosts.ts'
import { answer } from '../../_answer.ts'

export const POST = answer(hosts.putBack, ({ actor, services, id }) => services.hosts.putBack(actor, id))
