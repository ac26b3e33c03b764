import { API } from '../../../contract/api.ts'
import { answer } from './_answer.ts'

export const GET = answer(API.findDestinations, ({ actor, services, query }) => services.destinations.find(actor, query))
