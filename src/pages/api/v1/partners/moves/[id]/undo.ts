import { partnerMoves } from '../../../../../../contract/partner-moves.ts'
import { answer } from '../../../_answer.ts'

export const POST = answer(partnerMoves.undo, ({ actor, services, id }) => services.partnerMoves.undo(actor, id))
