import { API } from '../../../contract/api.ts'
import { answer } from './_answer.ts'

export const POST = answer(API.rewrite, ({ actor, services, body }) => services.rules.rewrite(actor, body))
