import { bulkChanges } from '../../../../../contract/bulk-changes.ts'
import { answer } from '../../_answer.ts'

export const POST = answer(bulkChanges.undo, ({ actor, services, id, query }) => services.bulkChanges.undo(actor, id, query.job))
