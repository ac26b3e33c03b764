import { frontDoors } from '../../../../contract/front-doors.ts'
import { answer } from '../_answer.ts'

export const GET = answer(frontDoors.list, ({ actor, services }) => services.frontDoors.list(actor))
export const POST = answer(frontDoors.make, ({ actor, services, body }) => services.frontDoors.make(actor, body))
