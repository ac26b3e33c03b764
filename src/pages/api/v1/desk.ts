import { API } from '../../../contract/api.ts'
import { answer } from './_answer.ts'

export const GET = answer(API.desk, ({ actor, services }) => services.desk.look(actor))
