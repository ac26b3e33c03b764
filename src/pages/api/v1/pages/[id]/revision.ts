import { API } from '../../../../../contract/api.ts'
import { answer } from '../../_answer.ts'

export const GET = answer(API.pageRevision, ({ actor, services, id, query }) => services.pages.revision(actor, id, query.version))
