import { publications } from '../../../../../contract/publications.ts'
import { answer } from '../../_answer.ts'

export const GET = answer(publications.difference, ({ actor, services, id }) => services.publications.difference(actor, id))
