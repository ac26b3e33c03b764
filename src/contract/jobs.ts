import { z } from 'zod'
import { ImportReport } from './imports.ts'
import { operation } from './operation.ts'
import { RedirectsBulkReport } from './redirect-lists.ts'
import { RedirectUndoReport } from './redirect-steps.ts'
import { RehearsalReport, ReplayReport } from './redirect-trials.ts'
import { Id } from './shared.ts'
import { ShortLinksBulkReport } from './short-links.ts'

export const Job = z
  .object({
    id: Id,
    kind: z.string(),
    state: z.enum(['waiting', 'running', 'done', 'failed', 'cancelled']),
    done: z.int(),
    total: z.int(),
    report: z
      .union([ImportReport, RedirectsBulkReport, RedirectUndoReport, RehearsalReport, ReplayReport, ShortLinksBulkReport])
      .nullable(),
    message: z.string().nullable(),
  })
  .meta({ id: 'Job' })
export type Job = z.infer<typeof Job>
/** Tells the reports of an import and of a list of short links apart: each has a field of its own. */
export const isImportReport = (report: Job['report']): report is ImportReport => report !== null && 'asksFront' in report
export const isListReport = (report: Job['report']): report is ShortLinksBulkReport =>
  report !== null && 'moreItems' in report && !('list' in report)
export const isRedirectsReport = (report: Job['report']): report is RedirectsBulkReport => report !== null && 'list' in report
export const isRehearsalReport = (report: Job['report']): report is RehearsalReport => report !== null && 'trial' in report
export const isReplayReport = (report: Job['report']): report is ReplayReport => report !== null && 'visitors' in report
export const isUndoReport = (report: Job['report']): report is RedirectUndoReport => report !== null && 'givenBack' in report

export const jobs = {
  get: operation({
    method: 'get',
    path: '/jobs/{id}',
    summary: 'How far a job is, and its report',
    needs: 'pages:read',
    status: 200,
    query: z.object({
      soon: z
        .enum(['1'])
        .optional()
        .meta({ description: 'The id was chosen by whoever asks, and its job may not have begun: then it waits' }),
    }),
    answer: Job,
  }),
  cancel: operation({
    method: 'delete',
    path: '/jobs/{id}',
    summary: 'Stop a job; nothing it did stays',
    needs: 'imports:run',
    status: 200,
    answer: Job,
  }),
} as const
