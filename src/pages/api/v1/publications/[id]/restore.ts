import { publications } from '../../../../../contract/publications.ts'
import { answer } from '../../_answer.ts'

export const POST = answer(publications.restore, ({ actor, services, id }) => services.publications.restore(actor, id))
