import { z } from 'zod'
import { VERDICTS } from '../core/checks/index.ts'
import { FINDINGS } from '../core/placements/index.ts'
import { operation } from './operation.ts'
import { Placement } from './placements.ts'
import { Unpublished } from './publications.ts'
import { FindingKind } from './redirect-review.ts'

/** What needs a hand today. */
export const Desk = z.object({
  unpublished: Unpublished,
  unmarked: z.object({ total: z.int(), pages: z.int(), examples: z.array(Placement) }),
  findings: z.array(z.object({ finding: z.enum(FINDINGS), links: z.int() })),
  seen: z
    .array(z.object({ verdict: z.enum(VERDICTS), destinations: z.int() }))
    .meta({ description: 'What was seen where links lead, the worst first; what lands and what somebody finds fine is left out' }),
  waiting: z.int().meta({ description: 'Links of contributors that wait for an editor' }),
  redirects: z
    .object({
      findings: z.array(z.object({ kind: FindingKind, rows: z.int() })),
      rising: z
        .array(z.object({ path: z.string(), week: z.int(), weekBefore: z.int() }))
        .meta({ description: 'Missed addresses that more people ask for than a week ago' }),
    })
    .nullable()
    .meta({ description: 'What is wrong in the redirects; null for who may not see them, and while they are not known yet' }),
  setAside: z.int().meta({ description: 'Lines of the log of clicks that could not be stored in the last 30 days, and were set aside' }),
  troubles: z
    .array(z.object({ since: z.iso.datetime() }))
    .meta({ description: 'Machines whose disk takes no clicks: they are held in memory, and written when there is room again' }),
  pages: z.int(),
  links: z.int(),
  reading: z
    .int()
    .nullable()
    .meta({ description: 'Links read so far where they are being read first: what is said of links is not known yet; else null' }),
  hasPartners: z.boolean(),
  hasRules: z.boolean(),
})
export type Desk = z.infer<typeof Desk>

export const desk = {
  look: operation({
    method: 'get',
    path: '/desk',
    summary: 'What needs a hand today',
    needs: 'pages:read',
    status: 200,
    answer: Desk,
    shows: ['pages', 'files', 'waiting', 'publications', 'rules', 'partners', 'findings', 'checks', 'redirects'],
  }),
} as const
