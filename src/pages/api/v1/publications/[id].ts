import { API } from '../../../../contract/api.ts'
import { answer } from '../_answer.ts'

export const GET = answer(API.viewPublication, ({ actor, services, id }) => services.publications.view(actor, id))
