import { desk } from '../../../contract/desk.ts'
import { answer } from './_answer.ts'

export const GET = answer(desk.look, ({ actor, services }) => services.desk.look(actor))
