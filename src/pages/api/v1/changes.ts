import { changes } from '../../../contract/changes.ts'
import { answer } from './_answer.ts'

export const GET = answer(changes.after, ({ actor, services, query }) => services.changes.after(actor, query.after))
