import { publications } from '../../../../contract/publications.ts'
import { answer } from '../_answer.ts'

export const GET = answer(publications.list, ({ actor, services }) => services.publications.list(actor))

export const POST = answer(publications.create, ({ actor, services, body }) => services.publications.create(actor, body))
