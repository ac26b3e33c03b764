import { publications } from '../../../../contract/publications.ts'
import { answer } from '../_answer.ts'

export const GET = answer(publications.unpublished, ({ actor, services }) => services.publications.unpublished(actor))
