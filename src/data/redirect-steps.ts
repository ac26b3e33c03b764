import type { RedirectConditions } from '../core/routing/index.ts'
import { type Database, jsonOf, rows, type Transaction } from './database.ts'
import { needOf, type RedirectFields } from './redirects.ts'

/** Rows that were made, changed or taken away together. */
export interface RedirectStep {
  readonly id: string
  readonly what: string
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
  what: string,
  transaction: Transaction,
): Promise<void> {
  await rows(
    db,
    'INSERT INTO redirect_steps (id, site_id, person_id, what) VALUES ($1, $2, $3, $4) ON CONFLICT (id) DO NOTHING',
    [stepId, siteId, personId, what],
    transaction,
  )
}

export async function isStepBegun(db: Database, { siteId, stepId }: By, transaction: Transaction): Promise<boolean> {
  return (
    (await rows(db, 'SELECT 1 AS found FROM redirect_steps WHERE id = $1 AND site_id = $2', [stepId, siteId], transaction)).length === 1
  )
}

/** Newest first. Steps by which nothing came about are left out. */
export function listSteps(db: Database, siteId: string, limit: number): Promise<RedirectStep[]> {
  return rows(
    db,
    `SELECT * FROM (SELECT s.id, s.what, (SELECT count(*)::int FROM redirect_revisions v WHERE v.step_id = s.id) AS rows,
       (SELECT name FROM people WHERE people.id = s.person_id) AS by, s.at, s.undone_at IS NOT NULL AS "isUndone"
     FROM redirect_steps s WHERE s.site_id = $1 ORDER BY s.at DESC LIMIT $2) steps WHERE rows > 0`,
    [siteId, limit],
  )
}

/** Whether a step is there and not taken back; from now on it is. */
export async function markStepUndone(db: Database, siteId: string, stepId: string, transaction: Transaction): Promise<boolean> {
  const marked = await rows(
    db,
    'UPDATE redirect_steps SET undone_at = now() WHERE id = $1 AND site_id = $2 AND undone_at IS NULL RETURNING id',
    [stepId, siteId],
    transaction,
  )
  return marked.length === 1
}

/** A row to be made or changed, in the words of the columns. */
const asRecord = (row: RedirectFields): object => ({
  match: row.match,
  source: row.from,
  key: row.key,
  hosts: row.hosts,
  conditions: row.when,
  destination: row.to,
  status: row.status,
  query: row.query,
  beats_pages: row.beatsPages,
  note: row.note,
  is_on: row.isOn,
  is_hidden: row.isHidden,
  needs: needOf(row),
})

const COLUMNS = 'match, source, key, hosts, conditions, destination, status, query, beats_pages, note, is_on, is_hidden, needs'
const RECORD = `match text, source text, key text, hosts text[], conditions jsonb, destination text, status smallint, query text, beats_pages boolean, note text, is_on boolean, is_hidden boolean, needs text`

/** A revision of each row of `r`, with what it is from now on; $2 is the person, $3 the step. */
const REVISIONS = `INSERT INTO redirect_revisions (redirect_id, version, person_id, step_id, state)
     SELECT r.id, r.version, $2, $3, jsonb_build_object('match', r.match, 'key', r.key, 'from', r.source, 'hosts', r.hosts, 'when', r.conditions, 'to', r.destination,
       'status', r.status, 'query', r.query, 'beatsPages', r.beats_pages, 'note', r.note, 'isOn', r.is_on, 'isHidden', r.is_hidden, 'place', r.place, 'isRemoved', r.removed_at IS NOT NULL)`

/** What the rows are from now on. */
const keepRevisions = (db: Database, { personId, stepId }: By, ids: readonly string[], transaction: Transaction): Promise<unknown> =>
  rows(db, `${REVISIONS} FROM redirects r WHERE r.id = ANY($1::uuid[])`, [ids, personId, stepId], transaction)

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
    `WITH r AS (INSERT INTO redirects (id, site_id, place, ${COLUMNS})
       SELECT w.id, $1, (SELECT coalesce(max(place), 0) FROM redirects WHERE site_id = $1 AND removed_at IS NULL) + w.turn, ${COLUMNS.replace(/\w+/g, 'w.$&')}
       FROM jsonb_to_recordset($4::jsonb) AS w (id uuid, turn int, ${RECORD}) RETURNING *)
     ${REVISIONS} FROM r`,
    [siteId, personId, stepId, jsonOf(made.map(({ id, row }, i) => ({ id, turn: i + 1, ...asRecord(row) })))],
    transaction,
  )
}

/** Writes rows, each on top of the version that was seen. @returns the ids of those that were still of it */
export async function updateRedirects(
  db: Database,
  by: By,
  changed: readonly { readonly id: string; readonly version: number; readonly row: RedirectFields }[],
  transaction: Transaction,
): Promise<Set<string>> {
  if (changed.length === 0) return new Set()
  const sets = COLUMNS.split(', ').map((column) => `${column} = w.${column}`)
  const done = await rows<{ id: string }>(
    db,
    `UPDATE redirects r SET version = r.version + 1, updated_at = now(), ${sets.join(', ')}
     FROM jsonb_to_recordset($2::jsonb) AS w (id uuid, version int, ${RECORD})
     WHERE r.id = w.id AND r.site_id = $1 AND r.version = w.version AND r.removed_at IS NULL RETURNING r.id`,
    [by.siteId, jsonOf(changed.map(({ id, version, row }) => ({ id, version, ...asRecord(row) })))],
    transaction,
  )
  const ids = done.map(({ id }) => id)
  await keepRevisions(db, by, ids, transaction)
  return new Set(ids)
}

/** Takes rows away. @returns the ids of those that were there */
export async function removeRedirects(db: Database, by: By, ids: readonly string[], transaction: Transaction): Promise<Set<string>> {
  const done = await rows<{ id: string }>(
    db,
    `UPDATE redirects SET removed_at = now(), version = version + 1, updated_at = now()
     WHERE id = ANY($2::uuid[]) AND site_id = $1 AND removed_at IS NULL RETURNING id`,
    [by.siteId, ids],
    transaction,
  )
  await keepRevisions(
    db,
    by,
    done.map(({ id }) => id),
    transaction,
  )
  return new Set(done.map(({ id }) => id))
}

/**
 * Gives rows back what they were before a step, as far as nobody has changed them since.
 * @param undone - the step that is taken back
 * @param after - the last row that was given back
 * @returns the rows of this stretch, in their order, and which of them could be given back
 */
export async function undoStretch(
  db: Database,
  by: By,
  { undone, after, limit }: { undone: string; after: string | null; limit: number },
  transaction: Transaction,
): Promise<{ ids: string[]; given: string[] }> {
  const found = await rows<{ id: string }>(
    db,
    `SELECT DISTINCT v.redirect_id AS id FROM redirect_revisions v WHERE v.step_id = $1 AND ($2::uuid IS NULL OR v.redirect_id > $2) ORDER BY v.redirect_id LIMIT $3`,
    [undone, after, limit],
    transaction,
  )
  const ids = found.map(({ id }) => id)
  const done = await rows<{ id: string }>(
    db,
    `UPDATE redirects r SET version = r.version + 1, updated_at = now(),
       match = s.state->>'match', source = s.state->>'from', key = s.state->>'key', hosts = ARRAY(SELECT jsonb_array_elements_text(s.state->'hosts')),
       conditions = s.state->'when', destination = s.state->>'to', status = (s.state->>'status')::smallint, query = s.state->>'query',
       beats_pages = (s.state->>'beatsPages')::boolean, note = s.state->>'note', is_on = (s.state->>'isOn')::boolean,
       is_hidden = coalesce((s.state->>'isHidden')::boolean, true),
       removed_at = CASE WHEN s.was AND NOT (s.state->>'isRemoved')::boolean THEN NULL ELSE now() END
     FROM (SELECT DISTINCT ON (v.redirect_id) v.redirect_id AS id, v.version AS first, b.version IS NOT NULL AS was, coalesce(b.state, v.state) AS state,
         (SELECT max(l.version) FROM redirect_revisions l WHERE l.redirect_id = v.redirect_id AND l.step_id = $2) AS last
       FROM redirect_revisions v LEFT JOIN redirect_revisions b ON b.redirect_id = v.redirect_id AND b.version = v.version - 1
       WHERE v.step_id = $2 AND v.redirect_id = ANY($3::uuid[]) ORDER BY v.redirect_id, v.version) s
     WHERE r.id = s.id AND r.site_id = $1 AND r.version = s.last RETURNING r.id`,
    [by.siteId, undone, ids],
    transaction,
  )
  const given = done.map(({ id }) => id)
  await keepRevisions(db, by, given, transaction)
  return { ids, given }
}

/** What a row said, newest first. */
export interface RedirectRevision {
  readonly version: number
  readonly at: Date
  readonly by: string | null
  readonly what: string | null
  readonly from: string
  readonly to: string
  readonly status: number
  readonly isOn: boolean
  readonly isRemoved: boolean
  readonly fields: Omit<RedirectFields, 'key'>
}

export async function redirectRevisions(db: Database, siteId: string, id: string, limit: number): Promise<RedirectRevision[]> {
  type State = Omit<RedirectFields, 'key'> & { readonly isRemoved: boolean; readonly when: RedirectConditions }
  const found = await rows<{ version: number; at: Date; by: string | null; what: string | null; state: State }>(
    db,
    `SELECT v.version, v.at, (SELECT name FROM people WHERE people.id = v.person_id) AS by, (SELECT what FROM redirect_steps s WHERE s.id = v.step_id) AS what, v.state
     FROM redirect_revisions v JOIN redirects r ON r.id = v.redirect_id WHERE v.redirect_id = $2 AND r.site_id = $1 ORDER BY v.version DESC LIMIT $3`,
    [siteId, id, limit],
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

/** Brings rows back that were taken away. @returns the ids of those that were gone */
export async function putBackRedirects(db: Database, by: By, ids: readonly string[], transaction: Transaction): Promise<Set<string>> {
  const done = await rows<{ id: string }>(
    db,
    `UPDATE redirects SET removed_at = NULL, version = version + 1, updated_at = now()
     WHERE id = ANY($2::uuid[]) AND site_id = $1 AND removed_at IS NOT NULL RETURNING id`,
    [by.siteId, ids],
    transaction,
  )
  const back = done.map(({ id }) => id)
  await keepRevisions(db, by, back, transaction)
  return new Set(back)
}
