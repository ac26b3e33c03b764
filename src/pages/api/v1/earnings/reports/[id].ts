import { earnings } from '../../../../../contract/earnings.ts'
import { answer } from '../../_answer.ts'

export const DELETE = answer(earnings.undo, ({ actor, services, id }) => services.earnings.undo(actor, id))
