import type { Logger } from 'pino'
import { type InputOf, JOB_KINDS, type ReportOf, type WorkKind } from '../contract/jobs.ts'
import type { FaultDetail } from '../core/result.ts'
import type { Database } from '../data/database.ts'
import { claimJob } from '../data/jobs.ts'
import { isTold, type Told, tell } from '../words/index.ts'
import { Cancelled, endJob, type Progress, progressWriter } from './progress.ts'

/** A reason that people can do something about. */
export class JobFailure extends Error {
  constructor(readonly told: Told) {
    super(told.tell)
  }
}

/** Why something failed, where it says so. */
export const whyIn = ({ why }: FaultDetail): Told => (isTold(why) ? why : tell('job.our-side'))

/** A job that was taken up. */
export interface Claimed<K extends WorkKind> {
  readonly id: string
  readonly siteId: string
  readonly personId: string | null
  readonly input: InputOf<K>
}

/** How work of a kind goes, and what is told where it comes to no end. */
interface Work<K extends WorkKind> {
  readonly work: (job: Claimed<K>, progress: Progress) => Promise<ReportOf<K>>
  /** What is there all the same. */
  readonly left?: (job: Claimed<K>, isCancelled: boolean) => readonly Told[] | Promise<readonly Told[]>
  /** What there is to tell of it all the same. */
  readonly report?: () => ReportOf<K>
}

/**
 * Takes a job up, does its work and closes it, whatever becomes of it.
 * @returns the job and its report; null where somebody else has it, or it came to no end
 */
export async function carryOut<K extends WorkKind>(
  { db, log }: { readonly db: Database; readonly log: Logger },
  kind: K,
  id: string,
  { work, left, report }: Work<K>,
): Promise<{ readonly job: Claimed<K>; readonly report: ReportOf<K> } | null> {
  const claimed = await claimJob(db, id)
  if (claimed === null) return null
  const { siteId, personId } = claimed
  const job: Claimed<K> = { id, siteId, personId, input: JOB_KINDS[kind].input.parse(claimed.input) as InputOf<K> }
  try {
    const told = await work(job, progressWriter(db, id))
    await endJob(db, id, { state: 'done', report: told })
    return { job, report: told }
  } catch (error) {
    const isCancelled = error instanceof Cancelled
    if (!isCancelled && !(error instanceof JobFailure)) log.error({ err: error, job: id }, `work of the kind ${kind} broke off`)
    const why = isCancelled ? tell('job.stopped') : error instanceof JobFailure ? error.told : tell('job.our-side')
    const there = (await left?.(job, isCancelled)) ?? []
    await endJob(db, id, {
      state: isCancelled ? 'cancelled' : 'failed',
      message: tell('job.ended', { why, left: there }),
      ...(report === undefined ? {} : { report: report() }),
    })
    return null
  }
}
