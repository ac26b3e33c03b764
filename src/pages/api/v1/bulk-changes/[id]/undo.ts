import { API } from '../../../../../contract/api.ts'
import { answer } from '../../_answer.ts'

export const POST = answer(API.undoBulkChange, ({ actor, services, id }) => services.bulkChanges.undo(actor, id))
