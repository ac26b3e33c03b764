import { z } from 'zod'
import { DATE_STYLES, DECIMAL_STYLES, EQUAL_LINES, LINE_FAULTS, REPORT_FIELDS } from '../core/earnings/index.ts'
import { tell } from '../words/index.ts'
import { Nothing, operation } from './operation.ts'
import { Earned } from './partners.ts'
import { Id, line, says } from './shared.ts'

/** Largest report, inclusive. */
export const REPORT_MAX_BYTES = 25 * 1024 * 1024

export const ReportLayout = z.strictObject({
  columns: z.partialRecord(z.enum(REPORT_FIELDS), line(200)),
  decimals: z.enum(DECIMAL_STYLES),
  dates: z.enum(DATE_STYLES),
  currency: z.string().regex(/^[A-Z]{3}$/),
  equalLines: z
    .enum(EQUAL_LINES)
    .optional()
    .meta({ description: 'once, as it is when left out: a line that says the same of the same order as one before it is left out' }),
})
export type ReportLayout = z.infer<typeof ReportLayout>
export const ReportGuessed = z.object({
  names: z.array(z.string()).meta({ description: 'Columns of the file' }),
  columns: z.partialRecord(z.enum(REPORT_FIELDS), z.string()),
  decimals: z.enum(DECIMAL_STYLES).nullable().meta({ description: 'null: the file does not decide; a person has to' }),
  mixed: z.tuple([z.int(), z.int()]).nullable().meta({ description: 'Two lines that are written in different styles' }),
  dates: z.enum(DATE_STYLES).nullable(),
  currency: z.string().nullable(),
  equalLines: z.enum(EQUAL_LINES),
  isRemembered: z.boolean(),
  missing: z.array(z.enum(REPORT_FIELDS)).meta({ description: 'Columns that were there last time' }),
  encoding: z.string(),
  delimiter: z.string(),
  sample: z.array(z.array(z.string())),
})
export type ReportGuessed = z.infer<typeof ReportGuessed>
export const ReportQuery = z.object({ partnerId: Id, name: line(200).optional() })
export const ReportTakeQuery = ReportQuery.extend({
  layout: z
    .string()
    .max(4_000)
    .transform((text, context) => {
      try {
        return ReportLayout.parse(JSON.parse(text))
      } catch {
        context.addIssue({ code: 'custom', message: says(tell('field.layout')) })
        return z.NEVER
      }
    }),
  dryRun: z.enum(['0', '1']).default('0'),
})
export const ReportTaken = z.object({
  id: Id.nullable(),
  lines: z.int(),
  made: z.int(),
  changed: z.int(),
  same: z.int(),
  joined: z.int().meta({ description: 'Lines that found their way back to a page or a short link' }),
  refused: z.array(z.object({ line: z.int(), why: z.enum(LINE_FAULTS), cell: z.string() })),
  moreRefused: z.int(),
  equal: z.int().meta({ description: 'Lines that say the same of the same order as one before them, and are left out' }),
  sums: z.array(z.object({ currency: z.string(), commission: z.int() })),
})
export type ReportTaken = z.infer<typeof ReportTaken>
export const Report = z.object({
  id: Id,
  partnerId: Id,
  name: z.string(),
  at: z.iso.datetime(),
  by: z.string().nullable(),
  made: z.int(),
  changed: z.int(),
  same: z.int(),
  refused: z.int(),
  isUndone: z.boolean(),
})
export type Report = z.infer<typeof Report>
export const ReportList = z.object({ items: z.array(Report) })

export const EARNED_BY = ['partner', 'page', 'placement', 'short link', 'not joined'] as const
export const EarningsQuery = z.object({
  by: z.enum(EARNED_BY).default('partner'),
  partnerId: Id.optional(),
  from: z.iso.date().optional(),
  until: z.iso.date().optional().meta({ description: 'Inclusive' }),
})
export const EarnedLine = Earned.extend({
  key: z.string(),
  name: z.string(),
  clicks: z.int(),
  epc: z.number().nullable(),
})
export type EarnedLine = z.infer<typeof EarnedLine>
export const EarningsView = z.object({ items: z.array(EarnedLine), more: z.int() })
export type EarningsView = z.infer<typeof EarningsView>

export const earnings = {
  look: operation({
    method: 'get',
    path: '/earnings',
    summary: 'What came in, by partner, page, placement or short link; currencies apart',
    needs: ['partners:read', 'pages:read', 'short-links:read'],
    status: 200,
    query: EarningsQuery,
    answer: EarningsView,
    shows: ['earnings', 'partners'],
  }),
  reports: operation({
    method: 'get',
    path: '/earnings/reports',
    summary: 'Reports that were brought in',
    needs: 'partners:read',
    status: 200,
    answer: ReportList,
    shows: ['earnings', 'partners'],
  }),
  guess: operation({
    method: 'post',
    path: '/earnings/guess',
    summary: 'Look at a partner’s report: columns, decimals, dates, and what a person has to say',
    needs: 'partners:edit',
    status: 200,
    query: ReportQuery,
    answer: ReportGuessed,
    media: { body: 'text/csv' },
    isQuestion: true,
  }),
  take: operation({
    method: 'post',
    path: '/earnings/reports',
    summary: 'Bring a partner’s report in; lines that are known are recognised',
    needs: 'partners:edit',
    status: 200,
    query: ReportTakeQuery,
    answer: ReportTaken,
    media: { body: 'text/csv' },
  }),
  undo: operation({
    method: 'delete',
    path: '/earnings/reports/{id}',
    summary: 'Take a report back whole',
    needs: 'partners:edit',
    status: 204,
    answer: Nothing,
  }),
} as const
