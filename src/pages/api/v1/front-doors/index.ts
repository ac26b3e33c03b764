import { API } from '../../../../contract/api.ts'
import { answer } from '../_answer.ts'

export const GET = answer(API.listFrontDoors, ({ actor, services }) => services.frontDoors.list(actor))
export const POST = answer(API.makeFrontDoor, ({ actor, services, body }) => services.frontDoors.make(actor, body))
