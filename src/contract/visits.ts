import { z } from 'zod'
import { STOP_FAULTS, VERDICTS } from '../core/checks/index.ts'
import { operation } from './operation.ts'
import { Sentence } from './shared.ts'

export const VisitRequest = z.strictObject({ address: z.string().max(8_000) })

export const Hop = z
  .object({
    address: z.string(),
    /** Null when nothing answered. */
    status: z.int().nullable(),
    ms: z.int(),
    kind: z.enum(['short link', 'hop', 'partner', 'lands', 'refused', 'fails']),
    /** Query parameters that this stop's address has and the one before had not, and the other way round. */
    added: z.array(z.string()),
    dropped: z.array(z.string()),
    /** Partners whose number the stop before still carried, and this one does not. */
    lost: z.array(z.string()),
    /** Why it went no further here, where the status does not say it. */
    why: z.enum(STOP_FAULTS).nullable(),
  })
  .meta({ id: 'Hop' })
export type Hop = z.infer<typeof Hop>

/** What became of a visit to a destination, stop by stop. */
export const Visit = z
  .object({
    hops: z.array(Hop),
    /** The worst that is to be said of it, and what else is true. */
    verdict: z.enum(VERDICTS),
    also: z.array(z.enum(VERDICTS)),
    lands: z.boolean(),
    title: z.string().nullable(),
    says: Sentence.nullable().meta({ description: 'What there is to say of it, in words, where it does not land' }),
  })
  .meta({ id: 'Visit' })
export type Visit = z.infer<typeof Visit>

export const visits = {
  visit: operation({
    method: 'post',
    path: '/addresses/visit',
    summary: 'Follow a destination to where it lands, stop by stop',
    needs: 'addresses:read',
    status: 200,
    body: VisitRequest,
    answer: Visit,
    isQuestion: true,
  }),
} as const
