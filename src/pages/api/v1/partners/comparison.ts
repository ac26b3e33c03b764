import { partners } from '../../../../contract/partners.ts'
import { answer } from '../_answer.ts'

export const GET = answer(partners.compare, ({ actor, services }) => services.partnerComparison.compare(actor))
