import { disclosure } from '../../../../contract/disclosure.ts'
import { answer } from '../_answer.ts'

export const GET = answer(disclosure.look, ({ actor, services }) => services.disclosure.look(actor))

export const PUT = answer(disclosure.change, ({ actor, services, body }) => services.disclosure.change(actor, body))
