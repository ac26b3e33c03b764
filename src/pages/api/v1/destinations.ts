import { destinations } from '../../../contract/destinations.ts'
import { answer } from './_answer.ts'

export const GET = answer(destinations.find, ({ actor, services, query }) => services.destinations.find(actor, query))
