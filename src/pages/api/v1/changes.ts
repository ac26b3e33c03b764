import { API } from '../../../contract/api.ts'
import { answer } from './_answer.ts'

export const GET = answer(API.changes, ({ actor, services, query }) => services.changes.after(actor, query.after))
