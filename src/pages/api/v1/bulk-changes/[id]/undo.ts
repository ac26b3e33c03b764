import { API } from '../../../../../contract/api.ts'
import { answer } from '../../_answer.ts'

export const POST = answer(API.undoBulkChange, ({ actor, services, id, query }) => services.bulkChanges.undo(actor, id, query.job))
