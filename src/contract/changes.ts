import { z } from 'zod'
import { CAPABILITIES, CHANGE_KINDS } from './capabilities.ts'
import { operation } from './operation.ts'

/** Changes told in one answer at most; whoever is further behind is told to start anew. */
export const CHANGES_MAX = 500

export const ChangesQuery = z.object({
  after: z.coerce
    .number()
    .int()
    .min(0)
    .optional()
    .meta({ description: 'The number of the answer before; where it is left out, only the newest number is told' }),
})

/** What has changed of a site since. */
export const ChangesAnswer = z.object({
  number: z.int().meta({ description: 'To be given with the next call' }),
  changes: z
    .array(z.object({ capability: z.enum(CAPABILITIES), key: z.string(), what: z.enum(CHANGE_KINDS) }))
    .nullable()
    .meta({ description: 'In the order in which they happened; null where it is too much to tell: look at everything anew' }),
})
export type ChangesAnswer = z.infer<typeof ChangesAnswer>

export const changes = {
  after: operation({
    method: 'get',
    path: '/changes',
    summary: 'What has changed since: for screens that are open',
    needs: 'pages:read',
    status: 200,
    query: ChangesQuery,
    answer: ChangesAnswer,
  }),
} as const
