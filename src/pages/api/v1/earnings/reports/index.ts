import { earnings } from '../../../../../contract/earnings.ts'
import { answer } from '../../_answer.ts'

export const GET = answer(earnings.reports, ({ actor, services }) => services.earnings.reports(actor))

export const POST = answer(earnings.take, async ({ actor, services, query: { dryRun, ...query }, request }) =>
  services.earnings.take(actor, { ...query, dryRun: dryRun === '1' }, new Uint8Array(await request.arrayBuffer())),
)
