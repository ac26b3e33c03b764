import { addresses } from '../../../../contract/addresses.ts'
import { answer } from '../_answer.ts'

export const POST = answer(addresses.repair, ({ actor, services, body }) => services.addresses.repair(actor, body))
