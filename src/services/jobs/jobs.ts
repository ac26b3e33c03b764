import { ImportInput } from '../../contract/imports.ts'
import { type InputOf, isJobKind, JOB_KINDS, type Job, type JobKindName, type WorkKind } from '../../contract/jobs.ts'
import type { Permission } from '../../contract/permissions.ts'
import { fail, ok, type Result } from '../../core/result.ts'
import type { JobRow } from '../../data/jobs.ts'
import { askToCancel, findJob, insertJob } from '../../data/jobs.ts'
import { type Actor, type Context, write, writeAudit } from '../context.ts'

/** Queue on which imports travel to the job floor. */
export const IMPORT_QUEUE = 'imports'

const canAll = (actor: Actor, permissions: readonly Permission[]): boolean => permissions.every((each) => actor.can(each))
/** A kind of an earlier version has to do with whoever brings sites in. */
const kindOf = (kind: string): Pick<(typeof JOB_KINDS)[JobKindName], 'starts' | 'sees'> => JOB_KINDS[isJobKind(kind) ? kind : 'import']
const mayStop = (actor: Actor, kind: string): boolean => canAll(actor, kindOf(kind).starts)
const maySee = (actor: Actor, kind: string): boolean => canAll(actor, kindOf(kind).sees) || mayStop(actor, kind)

/** A job with its report as its kind has it. */
function shown({ id, kind, state, done, total, input, report, message }: JobRow): Job {
  // One that never began has a message no more than anything that was fetched.
  const canGoOn = kind === 'import' && state === 'cancelled' && message !== null && ImportInput.safeParse(input).data?.address !== undefined
  const schema = isJobKind(kind) ? JOB_KINDS[kind].report : null
  return { id, kind, state, done, total, message, report: report === null || schema === null ? null : schema.parse(report), canGoOn }
}

export function jobsService({ db, enqueue }: Context) {
  return {
    /** Notes work down and sends it to the job floor. @param detail - for the audit trail */
    async start<K extends WorkKind>(actor: Actor, kind: K, input: InputOf<K>, detail: object = {}): Promise<Result<string, 'forbidden'>> {
      if (!canAll(actor, JOB_KINDS[kind].starts)) return fail('forbidden')
      const saved = await write(db, async (transaction) => {
        const job = await insertJob(db, { siteId: actor.siteId, kind, input, personId: actor.personId }, transaction)
        await writeAudit(db, actor, JOB_KINDS[kind].action, job, detail, transaction)
        return ok(job)
      })
      await enqueue(IMPORT_QUEUE, { job: saved.value })
      return saved
    },

    /** @param isSoon - it may not have begun, and waits then */
    async get(actor: Actor, id: string, isSoon = false): Promise<Result<Job, 'forbidden' | 'not-found'>> {
      const row = await findJob(db, actor.siteId, id)
      if (row !== null) return maySee(actor, row.kind) ? ok(shown(row)) : fail('forbidden')
      return isSoon
        ? ok({ id, kind: '', state: 'waiting', done: 0, total: 0, report: null, message: null, canGoOn: false })
        : fail('not-found')
    },

    /** What an import was asked to do; null when it is none of the actor's. */
    async input(actor: Actor, id: string): Promise<JobRow | null> {
      const row = await findJob(db, actor.siteId, id)
      return row?.kind === 'import' ? row : null
    },

    /** Asks a job to stop. One that has not begun stops at once; a running one before its next file, with nothing done. */
    async cancel(actor: Actor, id: string): Promise<Result<Job, 'forbidden' | 'not-found' | 'job-not-ready'>> {
      const row = await findJob(db, actor.siteId, id)
      if (row === null) return fail('not-found')
      if (!mayStop(actor, row.kind)) return fail('forbidden')
      const asked = await askToCancel(db, id)
      return asked === null ? fail('job-not-ready', { state: row.state }) : ok(shown(asked))
    },
  }
}
