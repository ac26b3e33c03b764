import { API } from '../../../../contract/api.ts'
import { answer } from '../_answer.ts'

export const GET = answer(API.getJob, ({ actor, services, id }) => services.jobs.get(actor, id))

export const DELETE = answer(API.cancelJob, ({ actor, services, id }) => services.jobs.cancel(actor, id))
