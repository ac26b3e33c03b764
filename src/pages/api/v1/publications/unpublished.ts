import { API } from '../../../../contract/api.ts'
import { answer } from '../_answer.ts'

export const GET = answer(API.unpublished, ({ actor, services }) => services.publications.unpublished(actor))
