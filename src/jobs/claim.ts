import { type Database, inTransaction, rows } from '../data/database.ts'

const PROGRESS_MS = 250

/** Whoever started a job does not want it any more. */
export class Cancelled extends Error {}

/** A running job writes its progress several times a second; silence this long means that whoever was at it is gone. */
export const SILENCE_SECONDS = 30

/** Takes a job up. @returns null when it was cancelled before it began, somebody else has it, or another one of its site is at work */
export async function claim(db: Database, jobId: string): Promise<{ site_id: string; input: unknown; person_id: string | null } | null> {
  return inTransaction(db, async (transaction) => {
    await rows(db, 'SELECT s.id FROM sites s JOIN jobs j ON j.site_id = s.id WHERE j.id = $1 FOR UPDATE OF s', [jobId], transaction)
    const [claimed] = await rows<{ site_id: string; input: unknown; person_id: string | null }>(
      db,
      `UPDATE jobs j SET state = 'running', begun = begun + 1, updated_at = now() WHERE id = $1 AND state = 'waiting' AND NOT EXISTS (
         SELECT 1 FROM jobs o WHERE o.site_id = j.site_id AND o.id <> j.id AND o.state = 'running' AND o.updated_at > now() - make_interval(secs => $2))
       RETURNING site_id, input, person_id`,
      [jobId, SILENCE_SECONDS],
      transaction,
    )
    return claimed ?? null
  })
}

/** Tells how far a job is, now and then. @throws Cancelled when it is to stop */
export type Progress = (done: number, total: number, isLast?: boolean) => Promise<void>

/** Writes a job's progress down. */
export function progressWriter(db: Database, jobId: string): Progress {
  let writtenAt = 0
  return async (done, total, isLast = false) => {
    if (!isLast && Date.now() - writtenAt < PROGRESS_MS) return
    writtenAt = Date.now()
    const [job] = await rows<{ asked: boolean }>(
      db,
      'UPDATE jobs SET done = $2, total = $3, updated_at = now() WHERE id = $1 RETURNING is_cancel_asked AS asked',
      [jobId, done, total],
    )
    if (job?.asked === true) throw new Cancelled()
  }
}
