import { z } from 'zod'
import { operation } from './operation.ts'
import { ADDRESS_KIND, Sentence } from './shared.ts'

/** Texts longer than this are refused unread; `repair` itself refuses addresses over 8,000 characters with its reason. */
const TEXT_MAX_CHARS = 100_000

export const RepairRequest = z.object({
  text: z.string().max(TEXT_MAX_CHARS),
  host: z.string().max(255).optional().meta({ description: 'One of the site’s hosts; its main host when left out' }),
  path: z.string().max(2_000).optional().meta({ description: 'Path of the page the link is to stand on' }),
})

const Change = z.object({ what: Sentence, from: z.string(), to: z.string() })

export const RepairAnswer = z
  .object({ address: z.string(), kind: ADDRESS_KIND, repairs: z.array(Change), offers: z.array(Change) })
  .meta({ id: 'RepairedAddress' })
export type RepairAnswer = z.infer<typeof RepairAnswer>

/** Addresses asked about at once. */
const LANDING_MAX = 20
const ADDRESS = z.string().max(8_000)

export const LandingRequest = z.object({ addresses: z.array(ADDRESS).max(LANDING_MAX) })
export const LandingAnswer = z
  .object({ nowhere: z.array(ADDRESS).meta({ description: 'Of the site’s own: those at which visitors find nothing' }) })
  .meta({ id: 'Landing' })

export const addresses = {
  landing: operation({
    method: 'post',
    path: '/addresses/landing',
    takes: 'list',
    summary: 'At which of these addresses of the site visitors would find nothing: no page or file is live there, and no redirect leads on',
    needs: 'addresses:read',
    status: 200,
    body: LandingRequest,
    answer: LandingAnswer,
    isQuestion: true,
  }),
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
