import { API } from '../../../../contract/api.ts'
import { answer } from '../_answer.ts'

export const POST = answer(API.suggestSlugs, ({ actor, services, body }) => services.shortLinks.suggest(actor, body))
