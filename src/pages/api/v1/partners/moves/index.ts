import { partnerMoves } from '../../../../../contract/partner-moves.ts'
import { answer } from '../../_answer.ts'

export const POST = answer(partnerMoves.make, ({ actor, services, body }) => services.partnerMoves.make(actor, body))
