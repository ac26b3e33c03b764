import { partners } from '../../../../contract/partners.ts'
import { answer } from '../_answer.ts'

export const POST = answer(partners.bringIn, async ({ actor, services, request }) => services.partners.bringIn(actor, await request.text()))
