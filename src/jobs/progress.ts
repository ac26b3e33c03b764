import type { Database } from '../data/database.ts'
import { tellProgress } from '../data/jobs.ts'

const PROGRESS_MS = 250

/** Whoever started a job does not want it any more. */
export class Cancelled extends Error {}

/** Tells how far a job is, now and then. @throws Cancelled when it is to stop */
export type Progress = (done: number, total: number, isLast?: boolean) => Promise<void>

/** Writes a job's progress down. */
export function progressWriter(db: Database, jobId: string): Progress {
  let writtenAt = 0
  return async (done, total, isLast = false) => {
    if (!isLast && Date.now() - writtenAt < PROGRESS_MS) return
    writtenAt = Date.now()
    if (await tellProgress(db, jobId, done, total)) throw new Cancelled()
  }
}
