import { pages } from '../../../../../contract/pages.ts'
import { answer } from '../../_answer.ts'

export const GET = answer(pages.sections, ({ actor, services, id }) => services.pages.sections(actor, id))
export const POST = answer(pages.nameSection, ({ actor, services, id, body }) => services.pages.nameSection(actor, id, body.start))
