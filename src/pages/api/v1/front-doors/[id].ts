import { frontDoors } from '../../../../contract/front-doors.ts'
import { answer } from '../_answer.ts'

export const DELETE = answer(frontDoors.remove, ({ actor, services, id }) => services.frontDoors.remove(actor, id))
