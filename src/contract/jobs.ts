import { z } from 'zod'
import type { InWords } from '../words/index.ts'
import { CheckReport } from './checks.ts'
import { ImportInput, ImportReport } from './imports.ts'
import { operation } from './operation.ts'
import type { Permission } from './permissions.ts'
import { RedirectsBulkInput, RedirectsBulkReport } from './redirect-lists.ts'
import { RedirectUndoInput, RedirectUndoReport } from './redirect-steps.ts'
import { RehearsalInput, RehearsalReport, ReplayInput, ReplayReport } from './redirect-trials.ts'
import { Id, Sentence } from './shared.ts'
import { ShortLinksBulkInput, ShortLinksBulkReport } from './short-links.ts'
import { StepUndoInput } from './steps.ts'

/**
 * A kind of work that is followed by a job.
 * @property starts - what one must be allowed to begin it, all of it; who may begin it may see it and stop it
 * @property sees - what one must be allowed, all of it, to see what became of it
 * @property action - as it stands in the audit trail
 */
interface JobKind {
  readonly starts: readonly Permission[]
  readonly sees: readonly Permission[]
  readonly action: string
  /** What it is told, where it is carried out in a thread; null for what is done within a call, whose progress it tells. */
  readonly input: z.ZodType | null
  readonly report: z.ZodType | null
}

/** Every kind of job: what it is told, what it tells, and who has to do with it. Its runner is found by its name (entries/import.ts). */
export const JOB_KINDS = {
  import: { starts: ['imports:run'], sees: ['pages:read'], action: 'imports:run', input: ImportInput, report: ImportReport },
  'imports-undo': {
    starts: ['imports:run'],
    sees: ['pages:read'],
    action: 'imports:undo',
    input: StepUndoInput,
    report: RedirectUndoReport,
  },
  'short-links': {
    starts: ['short-links:edit'],
    sees: ['short-links:read'],
    action: 'short-links:bulk',
    input: ShortLinksBulkInput,
    report: ShortLinksBulkReport,
  },
  'short-links-undo': {
    starts: ['short-links:edit'],
    sees: ['short-links:read'],
    action: 'short-links:undo',
    input: StepUndoInput,
    report: RedirectUndoReport,
  },
  redirects: {
    starts: ['redirects:edit'],
    sees: ['redirects:read'],
    action: 'redirects:bulk',
    input: RedirectsBulkInput,
    report: RedirectsBulkReport,
  },
  'redirects-undo': {
    starts: ['redirects:edit'],
    sees: ['redirects:read'],
    action: 'redirects:undo',
    input: RedirectUndoInput,
    report: RedirectUndoReport,
  },
  replay: {
    starts: ['redirects:edit', 'pages:read'],
    sees: ['redirects:read', 'pages:read'],
    action: 'redirects:replay',
    input: ReplayInput,
    report: ReplayReport,
  },
  rehearsal: {
    starts: ['redirects:edit', 'pages:read'],
    sees: ['redirects:read', 'pages:read'],
    action: 'redirects:rehearsal',
    input: RehearsalInput,
    report: RehearsalReport,
  },
  phrases: { starts: ['pages:read', 'partners:read'], sees: ['pages:read'], action: 'phrases:review', input: null, report: null },
  'bulk-change': { starts: ['pages:publish'], sees: ['pages:read'], action: 'links:change', input: null, report: null },
  checks: { starts: ['pages:edit'], sees: ['pages:read'], action: 'checks:start', input: null, report: CheckReport },
  counting: { starts: ['hosts:edit'], sees: ['hosts:read'], action: 'counting:judge', input: null, report: null },
} as const satisfies Record<string, JobKind>

export type JobKindName = keyof typeof JOB_KINDS
/** Kinds that are carried out in a thread. */
export type WorkKind = { [K in JobKindName]: (typeof JOB_KINDS)[K]['input'] extends null ? never : K }[JobKindName]
/** Kinds done within a call. */
export type CallKind = Exclude<JobKindName, WorkKind>
export type InputOf<K extends WorkKind> = z.infer<(typeof JOB_KINDS)[K]['input']>
export type ReportOf<K extends WorkKind> = z.infer<(typeof JOB_KINDS)[K]['report']>

export const isJobKind = (kind: string): kind is JobKindName => Object.hasOwn(JOB_KINDS, kind)
export const isWorkKind = (kind: string): kind is WorkKind => isJobKind(kind) && JOB_KINDS[kind].input !== null

export const Job = z
  .object({
    id: Id,
    kind: z.string(),
    state: z.enum(['waiting', 'running', 'done', 'failed', 'cancelled']),
    done: z.int(),
    total: z.int(),
    report: z
      .union([CheckReport, ImportReport, RedirectsBulkReport, RedirectUndoReport, RehearsalReport, ReplayReport, ShortLinksBulkReport])
      .nullable(),
    message: Sentence.nullable(),
    canGoOn: z.boolean().meta({ description: 'What it had fetched until it was stopped is kept; begun again, it goes on from there' }),
  })
  .meta({ id: 'Job' })
export type Job = z.infer<typeof Job>

/** The report of a job that is over, told by its kind. Null where it is of another kind, or has none. */
export function reportOf<K extends WorkKind>(kind: K, job: Pick<InWords<Job>, 'kind' | 'report'> | undefined): InWords<ReportOf<K>> | null {
  if (job?.kind !== kind || job.report === null) return null
  return job.report as InWords<ReportOf<K>> // it was read by the schema of its kind where the job was shown (services/jobs.ts)
}

export const jobs = {
  get: operation({
    method: 'get',
    path: '/jobs/{id}',
    summary: 'How far a job is, and its report',
    needs: null, // what the kind of the job asks for
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
    needs: null, // what its kind asks of whoever begins it
    status: 200,
    answer: Job,
  }),
} as const
