import type { Database } from '../data/database.ts'
import { closeJob, tellProgress } from '../data/jobs.ts'
import { refreshStatistics } from '../data/statistics.ts'

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

/** Closes a job that may have filled tables: whoever asks about what it did is answered as quickly as later. */
export async function endJob(db: Database, jobId: string, end: Parameters<typeof closeJob>[2]): Promise<void> {
  await refreshStatistics(db).catch(() => {}) // what the job did stands all the same, and the database looks by itself in time
  await closeJob(db, jobId, end)
}
