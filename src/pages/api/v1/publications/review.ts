import { publications } from '../../../../contract/publications.ts'
import { answer } from '../_answer.ts'

export const POST = answer(publications.review, ({ actor, services, body }) => services.publications.review(actor, body))
