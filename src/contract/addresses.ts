import { z } from 'zod'
import { operation } from './operation.ts'
import { ADDRESS_KIND } from './shared.ts'

/** Texts longer than this are refused unread; `repair` itself refuses addresses over 8,000 characters with its reason. */
const TEXT_MAX_CHARS = 100_000

export const RepairRequest = z.object({
  text: z.string().max(TEXT_MAX_CHARS),
  host: z.string().max(255).optional().meta({ description: 'One of the site’s hosts; its main host when left out' }),
  path: z.string().max(2_000).optional().meta({ description: 'Path of the page the link is to stand on' }),
})

const Change = z.object({ what: z.string(), from: z.string(), to: z.string() })

export const RepairAnswer = z
  .object({ address: z.string(), kind: ADDRESS_KIND, repairs: z.array(Change), offers: z.array(Change) })
  .meta({ id: 'RepairedAddress' })
export type RepairAnswer = z.infer<typeof RepairAnswer>

export const addresses = {
  repair: operation({
    method: 'post',
    path: '/addresses/repair',
    summary: 'Mend a pasted address and say what was mended',
    needs: 'addresses:read',
    status: 200,
    body: RepairRequest,
    answer: RepairAnswer,
    isQuestion: true,
  }),
} as const
