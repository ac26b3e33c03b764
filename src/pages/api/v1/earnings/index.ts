import { earnings } from '../../../../contract/earnings.ts'
import { answer } from '../_answer.ts'

export const GET = answer(earnings.look, ({ actor, services, query }) => services.earnings.look(actor, query))
