import { API } from '../../../../../contract/api.ts'
import { answer } from '../../_answer.ts'

export const GET = answer(API.pageHistory, ({ actor, services, id }) => services.pages.history(actor, id))
