import { counting } from '../../../../contract/counting.ts'
import { answer } from '../_answer.ts'

export const POST = answer(counting.judge, ({ actor, services, body }) => services.counting.judge(actor, body.job))
