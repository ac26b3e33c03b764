import { z } from 'zod'
import { operation } from './operation.ts'
import { RedirectNew } from './redirects.ts'
import { Id, JobStarted, Sentence } from './shared.ts'

/** Most lines of a log, and most old addresses, that are looked at. */
export const LOG_LINES_MAX = 10_000_000
export const OLD_ADDRESSES_MAX = 20_000
/** Rows that are tried and not kept. */
export const TRIED_ROWS_MAX = 20_000

/** Rows that are to be tried beside those that are kept, as JSON. */
export const TriedRows = z.array(RedirectNew).max(TRIED_ROWS_MAX)

export const ReplayInput = z.object({ upload: Id, rows: Id.nullable(), host: z.string().nullable() })

export const ReplayReport = z
  .object({
    lines: z.int(),
    broken: z.int().meta({ description: 'Lines that are none of a log' }),
    answered: z
      .int()
      .meta({ description: 'By the table that is tried: with rows that are off, or were given; by what is live where there are none' }),
    missed: z.int(),
    changed: z.int().meta({ description: 'Answered otherwise by that table than now' }),
    noise: z.int().meta({ description: 'Of the missed: scanners, icons, probes, parts of pages' }),
    visitors: z
      .object({ answered: z.int(), missed: z.int(), changed: z.int() })
      .meta({ description: 'About how many, by network address and browser' }),
    tried: z.int().meta({ description: 'Rows that are tried besides the live ones' }),
    examples: z.object({
      missed: z.array(z.object({ path: z.string(), visits: z.int() })),
      changed: z.array(z.object({ path: z.string(), visits: z.int(), now: z.string(), after: z.string() })),
    }),
  })
  .meta({ id: 'RedirectReplayReport' })
export type ReplayReport = z.infer<typeof ReplayReport>

/** A file that was sent, or an address at which a sitemap is to be found. */
export const RehearsalInput = z.union([z.object({ upload: Id, name: z.string() }), z.object({ address: z.url() })])

export const RehearsalReport = z
  .object({
    /** Tells this report from others. */
    trial: z.literal('rehearsal'),
    kind: z.enum(['list', 'sitemap', 'log', 'site']).meta({ description: 'What the old addresses were read from' }),
    old: z.int().meta({ description: 'Different addresses' }),
    answered: z.int().meta({ description: 'Of them that land somewhere already, or are told to be gone' }),
    queries: z.int().meta({ description: 'What was read with a query, which was left out: "?id=5"' }),
    unread: z.int().meta({ description: 'Lines and entries that are no address of a site' }),
    items: z.array(
      z.object({
        from: z.string(),
        visits: z.int().meta({ description: 'In the log; 0 where there is none' }),
        title: z.string(),
        isLedAstray: z.boolean().meta({ description: 'A row answers it already, and leads to nothing' }),
        suggestions: z.array(z.object({ to: z.string(), score: z.number(), reason: Sentence })),
      }),
    ),
    left: z.int().meta({ description: 'Addresses beyond the most that are looked at' }),
  })
  .meta({ id: 'RedirectRehearsalReport' })
export type RehearsalReport = z.infer<typeof RehearsalReport>

export const redirectTrials = {
  replay: operation({
    method: 'post',
    path: '/redirects/replay',
    summary: 'Run an access log (Common or Combined Log Format, plain or gzip) through the table as it is and as it is to be',
    needs: ['redirects:edit', 'pages:read'],
    status: 202,
    answer: JobStarted,
    media: { body: 'multipart/form-data' },
  }),
  rehearse: operation({
    method: 'post',
    path: '/redirects/rehearse',
    summary:
      'Propose a row for each old address: of a sitemap, a list, an access log, or a zip of the old site (`file`), or of a site that is still there, by its sitemap (`address`)',
    needs: ['redirects:edit', 'pages:read'],
    status: 202,
    answer: JobStarted,
    media: { body: 'multipart/form-data' },
  }),
} as const
