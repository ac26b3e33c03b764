import { API } from '../../../../contract/api.ts'
import { answer } from '../_answer.ts'

export const GET = answer(API.listPartners, ({ actor, services }) => services.partners.list(actor))

export const POST = answer(API.createPartner, ({ actor, services, body }) => services.partners.create(actor, body))
