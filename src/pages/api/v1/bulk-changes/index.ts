import { bulkChanges } from '../../../../contract/bulk-changes.ts'
import { answer } from '../_answer.ts'

export const GET = answer(bulkChanges.list, ({ actor, services }) => services.bulkChanges.list(actor))
export const POST = answer(bulkChanges.make, ({ actor, services, body }) => services.bulkChanges.make(actor, body))
