import { placements } from '../../../../contract/placements.ts'
import { answer } from '../_answer.ts'

export const POST = answer(placements.led, ({ actor, services, body }) => services.placements.led(actor, body.paths))
