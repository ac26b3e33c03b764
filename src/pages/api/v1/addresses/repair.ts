import { API } from '../../../../contract/api.ts'
import { answer } from '../_answer.ts'

export const POST = answer(API.repairAddress, ({ actor, services, body }) => services.addresses.repair(actor, body))
