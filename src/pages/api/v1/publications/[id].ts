import { publications } from '../../../../contract/publications.ts'
import { answer } from '../_answer.ts'

export const GET = answer(publications.view, ({ actor, services, id }) => services.publications.view(actor, id))
