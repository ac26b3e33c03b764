import { API } from '../../../../../contract/api.ts'
import { answer } from '../../_answer.ts'

export const POST = answer(API.putHostBack, ({ actor, services, id }) => services.hosts.putBack(actor, id))
