import { jobs } from '../../../../contract/jobs.ts'
import { answer } from '../_answer.ts'

export const GET = answer(jobs.get, ({ actor, services, id, query }) => services.jobs.get(actor, id, query.soon === '1'))

export const DELETE = answer(jobs.cancel, ({ actor, services, id }) => services.jobs.cancel(actor, id))
