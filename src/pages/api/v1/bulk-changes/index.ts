import { API } from '../../../../contract/api.ts'
import { answer } from '../_answer.ts'

export const GET = answer(API.listBulkChanges, ({ actor, services }) => services.bulkChanges.list(actor))
export const POST = answer(API.makeBulkChange, ({ actor, services, body }) => services.bulkChanges.make(actor, body))
