import { pages } from '../../../../../contract/pages.ts'
import { answer } from '../../_answer.ts'

export const GET = answer(pages.revision, ({ actor, services, id, query }) => services.pages.revision(actor, id, query.version))
