import { type Told, tell } from '../words/index.ts'
import { type Database, inTransaction, jsonOf, rows, type Transaction } from './database.ts'
import { broughtBy } from './imported-pages.ts'
import { count, insert, selectOne } from './plain.ts'
import { jobs, type StoredJob, selected } from './tables/index.ts'

const FIELDS = ['id', 'siteId', 'kind', 'state', 'input', 'done', 'total', 'report', 'message', 'personId', 'isCancelAsked'] as const
export type JobRow = Pick<StoredJob, (typeof FIELDS)[number]>
const COLUMNS = selected(jobs, FIELDS)

/** Jobs that nobody may take up again: their work is one transaction of the call that began them. */
const BEGUN_BY_A_CALL = 1_000

/** Said of a call that ended with its process, or by an error. */
export const BROKE_OFF = tell('job.broke-off')

/** Notes down that a call is at work, under an id of the caller's own. @returns false where that id is taken */
export async function beginJob(
  db: Database,
  job: { id: string; siteId: string; kind: string; personId: string | null; total: number },
  transaction?: Transaction,
): Promise<boolean> {
  const made = await rows(
    db,
    `INSERT INTO jobs (id, site_id, kind, state, input, person_id, begun, total) VALUES ($1, $2, $3, 'running', '{}', $4, ${BEGUN_BY_A_CALL}, $5)
     ON CONFLICT DO NOTHING RETURNING id`,
    [job.id, job.siteId, job.kind, job.personId, job.total],
    transaction,
  )
  return made.length > 0
}

/** Tells how far a job is. @param total - left out where it stays as it is. @returns whether somebody asked it to stop */
export async function tellProgress(db: Database, id: string, done: number, total?: number): Promise<boolean> {
  const [job] = await rows<{ asked: boolean }>(
    db,
    'UPDATE jobs SET done = $2, total = coalesce($3, total), updated_at = now() WHERE id = $1 RETURNING is_cancel_asked AS asked',
    [id, done, total ?? null],
  )
  return job?.asked === true
}

/** Notes work down that waits for the job floor. @returns its id */
export async function insertJob(
  db: Database,
  { siteId, kind, input, personId }: Pick<JobRow, 'siteId' | 'kind' | 'input' | 'personId'>,
  transaction: Transaction,
): Promise<string> {
  return (await insert(db, jobs, { siteId, kind, state: 'waiting', input, personId }, transaction)).id
}

/** @returns null when the site has no such job */
export const findJob = (db: Database, siteId: string, id: string): Promise<JobRow | null> => selectOne(db, jobs, FIELDS, { siteId, id })

/** Asks a job to stop: one that waits stops at once. @returns null when it is over already */
export async function askToCancel(db: Database, id: string): Promise<JobRow | null> {
  const [job] = await rows<JobRow>(
    db,
    `UPDATE jobs SET is_cancel_asked = true, state = CASE state WHEN 'waiting' THEN 'cancelled' ELSE state END
     WHERE id = $1 AND state IN ('waiting', 'running', 'cancelled') RETURNING ${COLUMNS}`,
    [id],
  )
  return job ?? null
}

/** A running job writes its progress several times a second; silence this long means that whoever was at it is gone. */
export const SILENCE_SECONDS = 30

/**
 * Takes a job up. What a call is at meanwhile (a review, a bulk change) holds it up no more than a person would.
 * @returns null when it was cancelled before it began, somebody else has it, or another one of its site is at work
 */
export function claimJob(db: Database, id: string): Promise<Pick<JobRow, 'siteId' | 'input' | 'personId'> | null> {
  return inTransaction(db, async (transaction) => {
    await rows(db, 'SELECT s.id FROM sites s JOIN jobs j ON j.site_id = s.id WHERE j.id = $1 FOR UPDATE OF s', [id], transaction)
    const [claimed] = await rows<Pick<JobRow, 'siteId' | 'input' | 'personId'>>(
      db,
      `UPDATE jobs j SET state = 'running', begun = begun + 1, updated_at = now() WHERE id = $1 AND state = 'waiting' AND NOT EXISTS (
         SELECT 1 FROM jobs o WHERE o.site_id = j.site_id AND o.id <> j.id AND o.state = 'running' AND o.begun < ${BEGUN_BY_A_CALL}
           AND o.updated_at > now() - make_interval(secs => $2))
       RETURNING site_id AS "siteId", input, person_id AS "personId"`,
      [id, SILENCE_SECONDS],
      transaction,
    )
    return claimed ?? null
  })
}

/** What a job that waits is about; null where it no longer waits. */
export async function waitingJob(
  db: Database,
  id: string,
): Promise<{ siteId: string; personId: string | null; kind: string; isFetch: boolean } | null> {
  const [job] = await rows<{ siteId: string; personId: string | null; kind: string; isFetch: boolean }>(
    db,
    `SELECT site_id AS "siteId", person_id AS "personId", kind, input ? 'address' AS "isFetch" FROM jobs WHERE id = $1 AND state = 'waiting'`,
    [id],
  )
  return job ?? null
}

/** The oldest job that waits of each site that has none at work. One that was just begun is sent by whoever began it, but for what takes an import back. */
export async function jobsToTakeUp(db: Database): Promise<string[]> {
  const found = await rows<{ id: string }>(
    db,
    `SELECT DISTINCT ON (site_id) id FROM jobs j WHERE state = 'waiting' AND (created_at < now() - interval '2 seconds' OR kind = 'imports-undo')
       AND NOT EXISTS (SELECT 1 FROM jobs o WHERE o.site_id = j.site_id AND o.state = 'running' AND o.begun < ${BEGUN_BY_A_CALL}) ORDER BY site_id, created_at`,
  )
  return found.map(({ id }) => id)
}

/**
 * Looks after jobs whose process is gone: they wait again, and one that ended its process twice has failed, since it would again. Looks at
 * destinations are in nobody's hands: whoever looks goes on with them.
 * @param begunMax - how often a job may be begun
 * @returns those that wait again
 */
export async function rescueJobs(db: Database, begunMax: number): Promise<string[]> {
  const twice = (...left: Told[]): string => jsonOf(tell('job.ended', { why: tell('job.broke-off-twice'), left }))
  await rows(
    db,
    `WITH closed AS (
       UPDATE jobs j SET state = 'failed', message = CASE WHEN kind = 'bulk-change' THEN $3::jsonb WHEN ${IS_PARTLY_IN} THEN $4::jsonb
         WHEN kind IN ('import', 'replay', 'rehearsal') THEN $5::jsonb ELSE $6::jsonb END
       WHERE state = 'running' AND kind <> 'checks' AND begun >= $2 AND updated_at < now() - make_interval(secs => $1) RETURNING id, site_id, kind, state, person_id)
     ${TAKEN_BACK}`,
    [
      SILENCE_SECONDS,
      begunMax,
      jsonOf(BROKE_OFF),
      twice(tell('import.taken-back'), tell('import.less-at-once')),
      twice(tell('job.nothing-changed'), tell('import.less-at-once')),
      twice(tell('job.rest-stays')),
    ],
  )
  const left = await rows<{ id: string }>(
    db,
    `UPDATE jobs SET state = 'waiting' WHERE state = 'running' AND kind <> 'checks' AND updated_at < now() - make_interval(secs => $1) RETURNING id`,
    [SILENCE_SECONDS],
  )
  return left.map(({ id }) => id)
}

/** Whether a job is an import of which something is in. */
const IS_PARTLY_IN = `j.kind = 'import' AND ${broughtBy('j.id')}`
/** Takes back what has come in of the imports in `closed` that came to no end: noted with their end, so that one is never there without the other. */
const TAKEN_BACK = `INSERT INTO jobs (site_id, kind, state, input, person_id)
  SELECT j.site_id, 'imports-undo', 'waiting', jsonb_build_object('kind', 'imports', 'step', j.id), j.person_id FROM closed j
  WHERE j.state <> 'done' AND ${IS_PARTLY_IN}`

/** Work that brings in much at once. */
const BRINGS_IN = ['import', 'redirects', 'short-links']

/** Whether a site or a list is being brought in. */
export async function isBringingIn(db: Database): Promise<boolean> {
  return (await count(db, jobs, { kind: BRINGS_IN, state: 'running' })) > 0
}

/** Whether somebody asked a job to stop. */
export async function isCancelAsked(db: Database, id: string): Promise<boolean> {
  return (await count(db, jobs, { id, isCancelAsked: true })) > 0
}

/** Gives jobs back that were at work, as if they had not been begun. */
export async function giveBack(db: Database, ids: readonly string[]): Promise<void> {
  await rows(db, `UPDATE jobs SET state = 'waiting', begun = greatest(0, begun - 1) WHERE id = ANY($1::uuid[]) AND state = 'running'`, [
    ids,
  ])
}

/**
 * Writes down what became of a job that was at work. Of an import that is not done, what has come in is taken back by a job of its own. What was sent for it goes, but for an import that is not carried out: it can be begun
 * again, and is kept for a day. @param report - what it tells; left out where it stays as it is */
export async function closeJob(
  db: Database,
  id: string,
  { state, message = null, report }: { state: 'done' | 'failed' | 'cancelled'; message?: Told | null; report?: object },
): Promise<void> {
  await rows(
    db,
    `WITH closed AS (UPDATE jobs SET state = $2, message = $3::jsonb, report = coalesce($4::jsonb, report), updated_at = now()
       WHERE id = $1 AND state = 'running' RETURNING id, site_id, kind, state, person_id, input),
     back AS (${TAKEN_BACK})
     DELETE FROM uploads u USING closed WHERE u.id IN ((input->>'upload')::uuid, (input->>'rows')::uuid)
       AND (NOT input ? 'joinsMenus' OR ($2 = 'done' AND input->>'dryRun' = 'false'))`,
    [id, state, message === null ? null : jsonOf(message), report === undefined ? null : jsonOf(report)],
  )
}

/** Takes away what became of jobs long ago. A job that is not over stays, however old it is. */
export async function dropOldJobs(db: Database, olderThanDays: number): Promise<void> {
  await rows(db, `DELETE FROM jobs WHERE state IN ('done', 'failed', 'cancelled') AND updated_at < now() - make_interval(days => $1)`, [
    olderThanDays,
  ])
}

/** How many jobs are in each state. */
export function countJobs(db: Database): Promise<{ state: JobRow['state']; jobs: number }[]> {
  return rows(db, 'SELECT state, count(*)::int AS jobs FROM jobs GROUP BY state')
}
