import { API } from '../../../../../contract/api.ts'
import { answer } from '../../_answer.ts'

export const GET = answer(API.hostUses, ({ actor, services, id }) => services.hosts.uses(actor, id))
