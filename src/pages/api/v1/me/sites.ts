import { people } from '../../../../contract/people.ts'
import { answer } from '../_answer.ts'

export const GET = answer(people.sites, ({ actor, services }) => services.people.sites(actor))
