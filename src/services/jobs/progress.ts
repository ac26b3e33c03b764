import type { CallKind } from '../../contract/jobs.ts'
import { fail, type Result } from '../../core/result.ts'
import { BROKE_OFF, beginJob, closeJob, tellProgress } from '../../data/jobs.ts'
import type { Actor, Context } from '../context.ts'

const PROGRESS_MS = 250

/** Tells how far work is. @returns whether it is to stop */
export type Progress = (done: number) => Promise<boolean>
const UNTOLD: Progress = async () => false

/**
 * Does work of which somebody wants to know how far it is, and that they may stop: under a job of an id that they chose.
 * @param work - answers "cancelled" once it was told to stop, and has then done nothing
 */
export async function withProgress<T, F extends string>(
  { db }: Pick<Context, 'db'>,
  actor: Actor,
  { job, kind, total }: { job: string | undefined; kind: CallKind; total: number },
  work: (tell: Progress) => Promise<Result<T, F>>,
): Promise<Result<T, F | 'job-not-ready'>> {
  if (job === undefined) return work(UNTOLD)
  if (!(await beginJob(db, { id: job, siteId: actor.siteId, kind, personId: actor.personId, total }))) return fail('job-not-ready')
  let toldAt = 0
  try {
    const done = await work(async (count) => {
      if (Date.now() - toldAt < PROGRESS_MS) return false
      toldAt = Date.now()
      return tellProgress(db, job, count)
    })
    const isCancelled = !done.ok && done.fault === 'cancelled'
    await closeJob(db, job, { state: done.ok ? 'done' : isCancelled ? 'cancelled' : 'failed' })
    return done
  } catch (error) {
    await closeJob(db, job, { state: 'failed', message: BROKE_OFF }).catch(() => {}) // what went wrong before is what is told
    throw error
  }
}
