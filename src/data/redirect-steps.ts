import type { Said } from '../words/index.ts'
import { type Database, jsonOf, rows, type Transaction } from './database.ts'
import { count, NOW, select, update } from './plain.ts'
import { needOf, OLDER_STATES, type RedirectFields } from './redirects.ts'
import { columnsOf, REDIRECT_SAYS, recordOf, recordTypes, redirectSteps, redirects, setFrom, setFromState } from './tables/index.ts'

/** Rows that were made, changed or taken away together. */
export interface RedirectStep {
  readonly id: string
  readonly what: Said
  readonly rows: number
  readonly by: string | null
  readonly at: Date
  readonly isUndone: boolean
}

/** Who writes, and in which step; null for a row by itself. */
export interface By {
  readonly siteId: string
  readonly personId: string | null
  readonly stepId: string | null
}

/** Begins a step, if it is not begun. @param what - in words, for people */
export async function beginStep(
  db: Database,
  { siteId, personId, stepId }: By & { readonly stepId: string },
  what: Said,
  transaction: Transaction,
): Promise<void> {
  await rows(
    db,
    'INSERT INTO redirect_steps (id, site_id, person_id, what) VALUES ($1, $2, $3, $4::jsonb) ON CONFLICT (id) DO NOTHING',
    [stepId, siteId, personId, jsonOf(what)],
    transaction,
  )
}

export async function isStepBegun(
  db: Database,
  { siteId, stepId }: Pick<By, 'siteId' | 'stepId'>,
  transaction?: Transaction,
): Promise<boolean> {
  return (await count(db, redirectSteps, { id: stepId, siteId }, transaction)) === 1
}

/** Newest first. Steps by which nothing came about are left out. */
export function listSteps(db: Database, siteId: string, limit: number): Promise<RedirectStep[]> {
  return rows(
    db,
    `SELECT * FROM (SELECT s.id, s.what, (SELECT count(*)::int FROM redirect_versions v WHERE v.step_id = s.id) AS rows,
       (SELECT name FROM people WHERE people.id = s.person_id) AS by, s.at, s.undone_at IS NOT NULL AS "isUndone"
     FROM redirect_steps s WHERE s.site_id = $1 ORDER BY s.at DESC LIMIT $2) steps WHERE rows > 0`,
    [siteId, limit],
  )
}

/** Whether a step is there and not taken back; from now on it is. */
export async function markStepUndone(db: Database, siteId: string, stepId: string, transaction: Transaction): Promise<boolean> {
  return (await update(db, redirectSteps, { undoneAt: NOW }, { id: stepId, siteId, undoneAt: null }, transaction)) === 1
}

/** What is written of a row that is made or changed. */
const KEPT = [...REDIRECT_SAYS, 'needs'] as const
const COLUMNS = columnsOf(redirects, KEPT)
const RECORD = recordTypes(redirects, KEPT)
const asRecord = (row: RedirectFields): object => recordOf(redirects, KEPT, { ...row, needs: needOf(row) })

/**
 * Keeps what rows are, which are about to become something else, and locks them.
 * @param condition - that holds for those that may: $1 is the site, $2 what is given
 * @returns the ids of those
 */
async function leaveVersions(
  db: Database,
  siteId: string,
  { from = '', condition, given }: { readonly from?: string; readonly condition: string; readonly given: unknown },
  transaction: Transaction,
): Promise<string[]> {
  const left = await rows<{ id: string }>(
    db,
    `INSERT INTO redirect_revisions (redirect_id, version, at, person_id, step_id, state)
     SELECT r.id, r.version, r.updated_at, r.person_id, r.step_id, redirect_state(r) FROM redirects r ${from}
     WHERE r.site_id = $1 AND ${condition} FOR UPDATE OF r RETURNING redirect_id AS id`,
    [siteId, given],
    transaction,
  )
  return left.map(({ id }) => id)
}

/** What is written with every version: its number, when, by whom ($2) and in which step ($3); who made a step stands with that. */
const ANEW = 'version = r.version + 1, updated_at = now(), person_id = CASE WHEN $3::uuid IS NULL THEN $2::uuid END, step_id = $3::uuid'

/** Puts rows at the end of the table, in this order. */
export async function insertRedirects(
  db: Database,
  { siteId, personId, stepId }: By,
  made: readonly { readonly id: string; readonly row: RedirectFields }[],
  transaction: Transaction,
): Promise<void> {
  if (made.length === 0) return
  await rows(
    db,
    `INSERT INTO redirects (id, site_id, place, person_id, step_id, ${COLUMNS})
     SELECT w.id, $1, (SELECT coalesce(max(place), 0) FROM redirects WHERE site_id = $1 AND removed_at IS NULL) + w.turn,
       CASE WHEN $3::uuid IS NULL THEN $2::uuid END, $3::uuid, ${columnsOf(redirects, KEPT, 'w')}
     FROM jsonb_to_recordset($4::jsonb) AS w (id uuid, turn int, ${RECORD})`,
    [siteId, personId, stepId, jsonOf(made.map(({ id, row }, i) => ({ id, turn: i + 1, ...asRecord(row) })))],
    transaction,
  )
}

/** Writes rows, each on top of the version that was seen. @returns the ids of those that were still of it */
export async function updateRedirects(
  db: Database,
  { siteId, personId, stepId }: By,
  changed: readonly { readonly id: string; readonly version: number; readonly row: RedirectFields }[],
  transaction: Transaction,
): Promise<Set<string>> {
  if (changed.length === 0) return new Set()
  const ids = await leaveVersions(
    db,
    siteId,
    {
      from: 'JOIN jsonb_to_recordset($2::jsonb) AS w (id uuid, version int) ON r.id = w.id AND r.version = w.version',
      condition: 'r.removed_at IS NULL',
      given: jsonOf(changed.map(({ id, version }) => ({ id, version }))),
    },
    transaction,
  )
  const done = new Set(ids)
  const records = changed.filter(({ id }) => done.has(id)).map(({ id, row }) => ({ id, ...asRecord(row) }))
  await rows(
    db,
    `UPDATE redirects r SET ${ANEW}, ${setFrom(redirects, KEPT, 'w')} FROM jsonb_to_recordset($4::jsonb) AS w (id uuid, ${RECORD}) WHERE r.id = w.id AND r.site_id = $1`,
    [siteId, personId, stepId, jsonOf(records)],
    transaction,
  )
  return done
}

/** Takes rows away, or brings them back. @returns the ids of those of which that could be done */
async function switchRemoved(
  db: Database,
  { siteId, personId, stepId }: By,
  { ids, isRemoved }: { readonly ids: readonly string[]; readonly isRemoved: boolean },
  transaction: Transaction,
): Promise<Set<string>> {
  const condition = `r.id = ANY($2::uuid[]) AND r.removed_at IS ${isRemoved ? '' : 'NOT '}NULL`
  const left = await leaveVersions(db, siteId, { condition, given: ids }, transaction)
  await rows(
    db,
    `UPDATE redirects r SET ${ANEW}, removed_at = ${isRemoved ? 'now()' : 'NULL'} WHERE r.id = ANY($4::uuid[]) AND r.site_id = $1`,
    [siteId, personId, stepId, left],
    transaction,
  )
  return new Set(left)
}

/** Takes rows away. @returns the ids of those that were there */
export const removeRedirects = (db: Database, by: By, ids: readonly string[], transaction: Transaction): Promise<Set<string>> =>
  switchRemoved(db, by, { ids, isRemoved: true }, transaction)

/** Brings rows back that were taken away. @returns the ids of those that were gone */
export const putBackRedirects = (db: Database, by: By, ids: readonly string[], transaction: Transaction): Promise<Set<string>> =>
  switchRemoved(db, by, { ids, isRemoved: false }, transaction)

/**
 * Gives rows back what they were before a step, as far as nobody has changed them since.
 * @param undone - the step that is taken back
 * @param after - the last row that was given back
 * @returns the rows of this stretch, in their order, and which of them could be given back
 */
export async function undoStretch(
  db: Database,
  { siteId, personId, stepId }: By,
  { undone, after, limit }: { undone: string; after: string | null; limit: number },
  transaction: Transaction,
): Promise<{ ids: string[]; given: string[] }> {
  const found = await rows<{ id: string }>(
    db,
    `SELECT id FROM ((SELECT r.id FROM redirects r WHERE r.step_id = $1 AND r.id > $2 ORDER BY r.id LIMIT $3)
       UNION (SELECT DISTINCT v.redirect_id FROM redirect_revisions v WHERE v.step_id = $1 AND v.redirect_id > $2 ORDER BY v.redirect_id LIMIT $3)) found ORDER BY id LIMIT $3`,
    [undone, after ?? NO_ID, limit],
    transaction,
  )
  const ids = found.map(({ id }) => id)
  // Whatever was changed since is of another step.
  const condition = 'r.step_id = ($2::jsonb->>0)::uuid AND r.id IN (SELECT jsonb_array_elements_text($2::jsonb->1)::uuid)'
  const given = await leaveVersions(db, siteId, { condition, given: jsonOf([undone, ids]) }, transaction)
  await rows(
    db,
    `UPDATE redirects r SET ${ANEW},
       ${setFromState(redirects, REDIRECT_SAYS, 's.state', OLDER_STATES)},
       removed_at = CASE WHEN s.was AND NOT (s.state->>'isRemoved')::boolean THEN NULL ELSE now() END
     FROM (SELECT DISTINCT ON (v.redirect_id) v.redirect_id AS id, b.version IS NOT NULL AS was, coalesce(b.state, v.state) AS state
       FROM redirect_revisions v LEFT JOIN redirect_revisions b ON b.redirect_id = v.redirect_id AND b.version = v.version - 1
       WHERE v.step_id = $4 AND v.redirect_id = ANY($5::uuid[]) ORDER BY v.redirect_id, v.version) s
     WHERE r.id = s.id AND r.site_id = $1`,
    [siteId, personId, stepId, undone, given],
    transaction,
  )
  await deriveNeeds(db, given, transaction)
  return { ids, given }
}
/** Works out anew by what text rows are found that have to be asked: no revision keeps it. */
async function deriveNeeds(db: Database, ids: readonly string[], transaction: Transaction): Promise<void> {
  const found = await select(db, redirects, ['id', 'match', 'from', 'needs'], { id: ids }, { transaction })
  const others = found.flatMap((row) => (row.needs === needOf(row) ? [] : [{ id: row.id, needs: needOf(row) }]))
  if (others.length === 0) return
  await rows(
    db,
    'UPDATE redirects r SET needs = w.needs FROM jsonb_to_recordset($1::jsonb) AS w (id uuid, needs text) WHERE r.id = w.id',
    [jsonOf(others)],
    transaction,
  )
}

/** Before any id of a row. */
const NO_ID = '00000000-0000-0000-0000-000000000000'

/** What a row said, newest first. */
export interface RedirectRevision {
  readonly version: number
  readonly at: Date
  readonly by: string | null
  readonly what: Said | null
  readonly from: string
  readonly to: string
  readonly status: number
  readonly isOn: boolean
  readonly isRemoved: boolean
  readonly fields: Omit<RedirectFields, 'key'>
}

export async function redirectRevisions(
  db: Database,
  siteId: string,
  id: string,
  { limit, version = null }: { readonly limit: number; readonly version?: number | null },
): Promise<RedirectRevision[]> {
  type State = Omit<RedirectFields, 'key'> & { readonly isRemoved: boolean }
  const found = await rows<{ version: number; at: Date; by: string | null; what: Said | null; state: State }>(
    db,
    `SELECT v.version, v.at, (SELECT name FROM people WHERE people.id = coalesce(v.person_id, s.person_id)) AS by, s.what, v.state
     FROM redirect_versions v JOIN redirects r ON r.id = v.redirect_id LEFT JOIN redirect_steps s ON s.id = v.step_id WHERE v.redirect_id = $2 AND r.site_id = $1 AND ($4::int IS NULL OR v.version = $4)
     ORDER BY v.version DESC LIMIT $3`,
    [siteId, id, limit, version],
  )
  return found.map(({ state, ...revision }) => ({
    ...revision,
    from: state.from,
    to: state.to,
    status: state.status,
    isOn: state.isOn,
    isRemoved: state.isRemoved,
    fields: { ...state, isHidden: state.isHidden ?? true },
  }))
}
