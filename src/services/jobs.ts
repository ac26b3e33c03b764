import type { z } from 'zod'
import type { ImportInput } from '../contract/imports.ts'
import { type Job, Job as JobShape } from '../contract/jobs.ts'
import type { Permission } from '../contract/permissions.ts'
import type { RedirectsBulkInput } from '../contract/redirect-lists.ts'
import type { RedirectUndoInput } from '../contract/redirect-steps.ts'
import type { ShortLinksBulkInput } from '../contract/short-links.ts'
import type { StepUndoInput } from '../contract/steps.ts'
import { fail, ok, type Result } from '../core/result.ts'
import { askToCancel, findJob, insertJob } from '../data/jobs.ts'
import type { JobRow } from '../data/models.ts'
import { type Actor, type Context, write, writeAudit } from './context.ts'

/** Queue on which imports travel to the job floor. */
export const IMPORT_QUEUE = 'imports'

/** What one must be allowed to do to stop a job that is no import. */
const STOPPED_BY: Readonly<Record<string, Permission>> = {
  'short-links': 'short-links:edit',
  redirects: 'redirects:edit',
  'redirects-undo': 'redirects:edit',
  'short-links-undo': 'short-links:edit',
  replay: 'redirects:read',
  rehearsal: 'redirects:read',
  'bulk-change': 'pages:publish',
  counting: 'hosts:edit',
}

/** What one must be allowed to read to see what became of a job. */
const SEEN_BY: Readonly<Record<string, Permission>> = {
  'short-links': 'short-links:read',
  redirects: 'redirects:read',
  'redirects-undo': 'redirects:read',
  'short-links-undo': 'short-links:read',
  replay: 'redirects:read',
  rehearsal: 'redirects:read',
}

const shown = ({ id, kind, state, done, total, report, message }: JobRow): Job =>
  JobShape.parse({ id, kind, state, done, total, report, message })

export function jobsService({ db, enqueue }: Context) {
  /** Notes work down and sends it to the job floor. */
  const start = async (
    actor: Actor,
    { kind, input, action, detail }: { kind: string; input: object; action: string; detail: object },
  ): Promise<Result<string, 'forbidden'>> => {
    const saved = await write(db, async (transaction) => {
      const job = await insertJob(db, { siteId: actor.siteId, kind, input, personId: actor.personId }, transaction)
      await writeAudit(db, actor, action, job, detail, transaction)
      return ok(job)
    })
    await enqueue(IMPORT_QUEUE, { job: saved.value })
    return saved
  }
  return {
    /** @param isSoon - it may not have begun, and waits then */
    async get(actor: Actor, id: string, isSoon = false): Promise<Result<Job, 'forbidden' | 'not-found'>> {
      if (!actor.can('pages:read')) return fail('forbidden')
      const row = await findJob(db, actor.siteId, id)
      const needed = SEEN_BY[row?.kind ?? '']
      if (needed !== undefined && !actor.can(needed)) return fail('forbidden')
      if (row === null && isSoon) return ok({ id, kind: '', state: 'waiting', done: 0, total: 0, report: null, message: null })
      return row === null ? fail('not-found') : ok(shown(row))
    },

    /** Notes a list of short links down and sends it to the job floor. */
    async startShortLinks(actor: Actor, input: z.infer<typeof ShortLinksBulkInput>): Promise<Result<string, 'forbidden'>> {
      if (!actor.can('short-links:edit')) return fail('forbidden')
      return start(actor, { kind: 'short-links', input, action: 'short-links:bulk', detail: { dryRun: input.dryRun } })
    },

    /** Notes a list of redirects down and sends it to the job floor. */
    async startRedirects(actor: Actor, input: RedirectsBulkInput): Promise<Result<string, 'forbidden'>> {
      if (!actor.can('redirects:edit')) return fail('forbidden')
      return start(actor, { kind: 'redirects', input, action: 'redirects:bulk', detail: { as: input.as, dryRun: input.dryRun } })
    },

    /** Notes a step of redirects down to be taken back. */
    async startRedirectUndo(actor: Actor, input: z.infer<typeof RedirectUndoInput>): Promise<Result<string, 'forbidden'>> {
      if (!actor.can('redirects:edit')) return fail('forbidden')
      return start(actor, { kind: 'redirects-undo', input, action: 'redirects:undo', detail: { step: input.step } })
    },

    /** Notes a list of short links or an import down to be taken back. */
    async startStepUndo(actor: Actor, input: z.infer<typeof StepUndoInput>): Promise<Result<string, 'forbidden'>> {
      const isImport = input.kind === 'imports'
      if (!actor.can(isImport ? 'imports:run' : 'short-links:edit')) return fail('forbidden')
      return start(actor, { kind: `${input.kind}-undo`, input, action: `${input.kind}:undo`, detail: { step: input.step } })
    },

    /** Notes a trial of the redirects down, which changes nothing. */
    async startTrial(actor: Actor, kind: 'replay' | 'rehearsal', input: object): Promise<Result<string, 'forbidden'>> {
      if (!actor.can('redirects:read')) return fail('forbidden')
      return start(actor, { kind, input, action: `redirects:${kind}`, detail: {} })
    },

    /** Notes an import down and sends it to the job floor. */
    async startImport(actor: Actor, input: ImportInput): Promise<Result<string, 'forbidden'>> {
      if (!actor.can('imports:run')) return fail('forbidden')
      return start(actor, { kind: 'import', input, action: 'imports:run', detail: { name: input.name, dryRun: input.dryRun } })
    },

    /** What an import was asked to do; null when it is none of the actor's. */
    input: (actor: Actor, id: string): Promise<JobRow | null> => findJob(db, actor.siteId, id),

    /** Asks a job to stop. One that has not begun stops at once; a running one before its next file, with nothing done. */
    async cancel(actor: Actor, id: string): Promise<Result<Job, 'forbidden' | 'not-found' | 'job-not-ready'>> {
      const row = await findJob(db, actor.siteId, id)
      if (!actor.can(STOPPED_BY[row?.kind ?? ''] ?? 'imports:run')) return fail('forbidden')
      if (row === null) return fail('not-found')
      const asked = await askToCancel(db, id)
      return asked === null ? fail('job-not-ready', { state: row.state }) : ok(shown(asked))
    },
  }
}
