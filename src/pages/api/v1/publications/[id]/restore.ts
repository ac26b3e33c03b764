import { API } from '../../../../../contract/api.ts'
import { answer } from '../../_answer.ts'

export const POST = answer(API.restorePublication, ({ actor, services, id }) => services.publications.restore(actor, id))
