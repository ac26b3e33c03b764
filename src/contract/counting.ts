import { z } from 'zod'
import { operation } from './operation.ts'
import { Id } from './shared.ts'

/** Days for which single clicks may be kept. */
export const KEPT_DAYS_MAX = 3_650

export const BotRule = z
  .strictObject({
    perMinute: z.int().min(1).max(10_000).meta({ description: 'More clicks of one visitor within a minute are a bot’s' }),
    perDay: z.int().min(1).max(1_000_000).meta({ description: 'More clicks of one visitor on a day are' }),
    unseenPerDay: z
      .int()
      .min(1)
      .max(1_000_000)
      .meta({ description: 'So are more on a day without looking at a page, where pages are counted' }),
  })
  .meta({ id: 'BotRule' })

export const Counting = z
  .object({
    countsPages: z.boolean().meta({ description: 'Pages tell that they were looked at, and which of their links out were followed' }),
    keptDays: z
      .int()
      .min(0)
      .max(KEPT_DAYS_MAX)
      .meta({ description: 'Single clicks go after so many days, what was counted of them stays; 0: they never go' }),
    botRule: BotRule,
  })
  .meta({ id: 'Counting' })
export type Counting = z.infer<typeof Counting>
export const CountingChange = z.strictObject(Counting.partial().shape)
export type CountingChange = z.infer<typeof CountingChange>

export const CountingJudge = z.strictObject({
  job: Id.optional().meta({ description: 'A new id: under it GET /jobs/{id} tells how far it is' }),
})
export const CountingJudged = z.object({ days: z.int(), clicks: z.int().meta({ description: 'That changed sides' }) })
export type CountingJudged = z.infer<typeof CountingJudged>

const DAYS = 28
export const SeenQuery = z.object({
  days: z.coerce.number().int().min(1).max(365).default(DAYS),
  to: z.string().max(8_000).optional().meta({ description: 'Only links to this address' }),
  limit: z.coerce.number().int().min(1).max(500).default(50),
})
export type SeenQuery = z.infer<typeof SeenQuery>
export const Seen = z
  .object({
    isOn: z.boolean(),
    total: z.object({ views: z.int(), links: z.int(), bots: z.int() }),
    pages: z.array(z.object({ host: z.string(), path: z.string(), people: z.int(), others: z.int() })),
    links: z.array(
      z.object({
        host: z.string(),
        path: z.string(),
        address: z.string(),
        nth: z.int().meta({ description: 'Of the page’s links to this address, from 0' }),
        people: z.int(),
      }),
    ),
  })
  .meta({ id: 'Seen' })
export type Seen = z.infer<typeof Seen>

export const counting = {
  look: operation({
    method: 'get',
    path: '/counting',
    summary: 'What is counted, whom that takes for a bot, and how long single clicks are kept',
    needs: 'hosts:read',
    status: 200,
    answer: Counting,
    shows: ['sites'],
  }),
  change: operation({
    method: 'patch',
    path: '/counting',
    summary: 'Set what is counted, whom that takes for a bot, and how long single clicks are kept',
    needs: 'hosts:edit',
    status: 200,
    body: CountingChange,
    answer: Counting,
  }),
  judge: operation({
    method: 'post',
    path: '/counting/judged',
    summary: 'Apply the rule for bots again to all single clicks that are kept',
    needs: 'hosts:edit',
    status: 200,
    body: CountingJudge,
    answer: CountingJudged,
  }),
  seen: operation({
    method: 'get',
    path: '/counting/seen',
    summary: 'Pages that were looked at and links on them that were followed, the most first',
    needs: 'pages:read',
    status: 200,
    query: SeenQuery,
    answer: Seen,
  }),
} as const
