import { API } from '../../../../contract/api.ts'
import { answer } from '../_answer.ts'

export const DELETE = answer(API.removeFrontDoor, ({ actor, services, id }) => services.frontDoors.remove(actor, id))
