import { API } from '../../../../../contract/api.ts'
import { answer } from '../../_answer.ts'

export const GET = answer(API.pageSections, ({ actor, services, id }) => services.pages.sections(actor, id))
export const POST = answer(API.nameSection, ({ actor, services, id, body }) => services.pages.nameSection(actor, id, body.start))
