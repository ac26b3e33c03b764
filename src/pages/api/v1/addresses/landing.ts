import { addresses } from '../../../../contract/addresses.ts'
import { answer } from '../_answer.ts'

export const POST = answer(addresses.landing, ({ actor, services, body }) => services.addresses.landing(actor, body.addresses))
