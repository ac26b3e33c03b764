import { earnings } from '../../../../contract/earnings.ts'
import { answer } from '../_answer.ts'

export const POST = answer(earnings.guess, async ({ actor, services, query, request }) =>
  services.earnings.guess(actor, query.partnerId, new Uint8Array(await request.arrayBuffer())),
)
