import { type Database, rows } from './database.ts'

/** Jobs that nobody may take up again: their work is one transaction of the call that began them. */
const BEGUN_BY_A_CALL = 1_000

/** Said of a call that ended with its process, or by an error. */
export const BROKE_OFF = 'It broke off, and nothing of it was kept.'

/** Notes down that a call is at work, under an id of the caller's own. @returns false where that id is taken */
export async function beginJob(
  db: Database,
  job: { id: string; siteId: string; kind: string; personId: string | null; total: number },
): Promise<boolean> {
  const made = await rows(
    db,
    `INSERT INTO jobs (id, site_id, kind, state, input, person_id, begun, total) VALUES ($1, $2, $3, 'running', '{}', $4, ${BEGUN_BY_A_CALL}, $5)
     ON CONFLICT DO NOTHING RETURNING id`,
    [job.id, job.siteId, job.kind, job.personId, job.total],
  )
  return made.length > 0
}

/** Tells how far a job is. @returns whether somebody asked it to stop */
export async function tellProgress(db: Database, id: string, done: number): Promise<boolean> {
  const [job] = await rows<{ asked: boolean }>(
    db,
    'UPDATE jobs SET done = $2, updated_at = now() WHERE id = $1 RETURNING is_cancel_asked AS asked',
    [id, done],
  )
  return job?.asked === true
}

/** @param message - why it failed; null for one that is done, or was stopped */
export async function endJob(db: Database, id: string, state: 'done' | 'failed' | 'cancelled', message: string | null): Promise<void> {
  await rows(db, 'UPDATE jobs SET state = $2, message = $3, updated_at = now() WHERE id = $1', [id, state, message])
}
