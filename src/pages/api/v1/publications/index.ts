import { API } from '../../../../contract/api.ts'
import { answer } from '../_answer.ts'

export const GET = answer(API.listPublications, ({ actor, services }) => services.publications.list(actor))

export const POST = answer(API.publish, ({ actor, services, body }) => services.publications.create(actor, body))
