import type { Redirect, RedirectMatch, RedirectStatus } from '../core/routing/index.ts'
import { type Database, jsonOf, rows, type Transaction } from './database.ts'
import { likeOf } from './short-links.ts'

/** A row of a site's redirects as it is kept. */
export interface RedirectFields extends Omit<Redirect, 'id' | 'order'> {
  readonly key: string
  readonly note: string
  readonly isOn: boolean
}

export interface ListedRedirect extends Omit<RedirectFields, 'key'> {
  readonly id: string
  readonly place: number
  readonly version: number
  readonly createdAt: Date
  readonly hits: number
  readonly otherHits: number
  /** "2026-11-24", UTC. */
  readonly lastHitOn: string | null
}

const SHOWN = `r.id, r.match, r.source AS "from", r.hosts, r.conditions AS "when", r.destination AS "to", r.status, r.query,
  r.beats_pages AS "beatsPages", r.note, r.is_on AS "isOn", r.place, r.version, r.created_at AS "createdAt"`
const HITS = `(SELECT coalesce(sum(c.clicks) FILTER (WHERE c.visit = 'person'), 0)::int FROM click_rollups c WHERE c.short_link_id = found.id) AS hits,
  (SELECT coalesce(sum(c.clicks) FILTER (WHERE c.visit <> 'person'), 0)::int FROM click_rollups c WHERE c.short_link_id = found.id) AS "otherHits",
  (SELECT max(c.day)::text FROM click_rollups c WHERE c.short_link_id = found.id) AS "lastHitOn"`

/** Rows that are counted; beyond it only "more than" is known. */
export const COUNTED_REDIRECTS_MAX = 10_000

/** Rows in the order of the table. `total` is up to {@link COUNTED_REDIRECTS_MAX} + 1. */
export async function listRedirects(
  db: Database,
  filter: {
    readonly siteId: string
    readonly id?: string | undefined
    readonly search?: string | undefined
    /** Place and id of the last one seen. */
    readonly after?: { readonly place: number; readonly id: string } | undefined
    readonly limit: number
  },
): Promise<{ items: ListedRedirect[]; total: number }> {
  const bind: unknown[] = [filter.siteId]
  const where = ['r.site_id = $1', 'r.removed_at IS NULL']
  if (filter.id !== undefined) where.push(`r.id = $${bind.push(filter.id)}`)
  for (const word of (filter.search ?? '').split(/\s+/).filter((each) => each !== ''))
    where.push(`r.words LIKE $${bind.push(likeOf(word))}`)
  const [count] = await rows<{ total: number }>(
    db,
    `SELECT count(*)::int AS total FROM (SELECT 1 FROM redirects r WHERE ${where.join(' AND ')} LIMIT ${COUNTED_REDIRECTS_MAX + 1}) counted`,
    bind,
  )
  if (filter.after !== undefined)
    where.push(`(r.place, r.id) > ($${bind.push(filter.after.place)}::float8, $${bind.push(filter.after.id)}::uuid)`)
  const items = await rows<ListedRedirect>(
    db,
    `SELECT found.*, ${HITS} FROM (SELECT ${SHOWN} FROM redirects r WHERE ${where.join(' AND ')} ORDER BY r.place, r.id LIMIT $${bind.push(filter.limit)}) found
     ORDER BY found.place, found.id`,
    bind,
  )
  return { items, total: count?.total ?? 0 }
}

const FIELDS = ['match', 'source', 'key', 'hosts', 'conditions', 'destination', 'status', 'query', 'beats_pages', 'note', 'is_on'] as const
const CASTS: Readonly<Partial<Record<(typeof FIELDS)[number], string>>> = { hosts: '::text[]', conditions: '::jsonb', status: '::smallint' }

const valuesOf = (row: RedirectFields): unknown[] => [
  row.match,
  row.from,
  row.key,
  [...row.hosts],
  jsonOf(row.when),
  row.to,
  row.status,
  row.query,
  row.beatsPages,
  row.note,
  row.isOn,
]

/** Puts a row at the end of the table, as its first version. */
export async function insertRedirect(
  db: Database,
  { siteId, id, personId }: { siteId: string; id: string; personId: string },
  row: RedirectFields,
  transaction: Transaction,
): Promise<void> {
  const values = FIELDS.map((field, i) => `$${i + 3}${CASTS[field] ?? ''}`)
  await rows(
    db,
    `INSERT INTO redirects (id, site_id, place, ${FIELDS.join(', ')})
     SELECT $1::uuid, $2::uuid, coalesce((SELECT max(place) FROM redirects WHERE site_id = $2::uuid AND removed_at IS NULL), 0) + 1, ${values.join(', ')}`,
    [id, siteId, ...valuesOf(row)],
    transaction,
  )
  await keepRevision(db, id, personId, transaction)
}

/** Writes a row on top of `version`. @returns false when that is not the newest */
export async function updateRedirect(
  db: Database,
  { siteId, id, version, personId }: { siteId: string; id: string; version: number; personId: string },
  row: RedirectFields,
  transaction: Transaction,
): Promise<boolean> {
  const sets = FIELDS.map((field, i) => `${field} = $${i + 4}${CASTS[field] ?? ''}`)
  const changed = await rows(
    db,
    `UPDATE redirects SET version = version + 1, updated_at = now(), ${sets.join(', ')}
     WHERE id = $1 AND site_id = $2 AND version = $3 AND removed_at IS NULL RETURNING id`,
    [id, siteId, version, ...valuesOf(row)],
    transaction,
  )
  if (changed.length === 0) return false
  await keepRevision(db, id, personId, transaction)
  return true
}

/** Takes a row away, or brings it back. @returns false where that is so already */
export async function setRedirectRemoved(
  db: Database,
  { siteId, id, personId, isRemoved }: { siteId: string; id: string; personId: string; isRemoved: boolean },
  transaction: Transaction,
): Promise<boolean> {
  const changed = await rows(
    db,
    `UPDATE redirects SET removed_at = CASE WHEN $3 THEN now() END, version = version + 1, updated_at = now()
     WHERE id = $1 AND site_id = $2 AND (removed_at IS NULL) = $3 RETURNING id`,
    [id, siteId, isRemoved],
    transaction,
  )
  if (changed.length === 0) return false
  await keepRevision(db, id, personId, transaction)
  return true
}

/** What the row is from now on, for its history and for how an address was answered on a past day. */
const keepRevision = (db: Database, id: string, personId: string, transaction: Transaction): Promise<unknown> =>
  rows(
    db,
    `INSERT INTO redirect_revisions (redirect_id, version, person_id, state)
     SELECT r.id, r.version, $2, jsonb_build_object('match', r.match, 'key', r.key, 'from', r.source, 'hosts', r.hosts, 'when', r.conditions, 'to', r.destination,
       'status', r.status, 'query', r.query, 'beatsPages', r.beats_pages, 'note', r.note, 'isOn', r.is_on, 'place', r.place, 'isRemoved', r.removed_at IS NOT NULL)
     FROM redirects r WHERE r.id = $1`,
    [id, personId],
    transaction,
  )

/** A row as it answers, and what it is found by. */
export interface DeliveredRedirect extends Redirect {
  readonly key: string
}

/** Rows that are found by the same: they are asked together. */
export interface RedirectGroup {
  /** See `redirectGroup`. */
  readonly id: string
  readonly match: RedirectMatch
  readonly key: string
  readonly rows: readonly DeliveredRedirect[]
}

const ANSWERING = 'r.site_id = $1 AND r.removed_at IS NULL AND r.is_on'
const DELIVERED = `r.id, r.match, r.key, r.source AS "from", r.hosts, r.conditions AS "when", r.destination AS "to", r.status, r.query,
  r.beats_pages AS "beatsPages", r.place AS "order"`

const grouped = (found: readonly DeliveredRedirect[]): RedirectGroup[] => {
  const groups = new Map<string, { id: string; match: RedirectMatch; key: string; rows: DeliveredRedirect[] }>()
  for (const row of found) {
    const id = `${row.match} ${row.key}`
    const group = groups.get(id) ?? { id, match: row.match, key: row.key, rows: [] }
    group.rows.push({ ...row, status: row.status as RedirectStatus })
    groups.set(id, group)
  }
  return [...groups.values()]
}

/** What rows are found by, by their ids; those that do not answer are left out. */
export function redirectKeys(
  db: Database,
  siteId: string,
  ids: readonly string[],
  transaction: Transaction,
): Promise<{ id: string; match: RedirectMatch; key: string }[]> {
  return rows(db, `SELECT r.id, r.match, r.key FROM redirects r WHERE ${ANSWERING} AND r.id = ANY($2::uuid[])`, [siteId, ids], transaction)
}

/** All rows that are found by these. */
export async function redirectGroups(
  db: Database,
  siteId: string,
  wanted: readonly { readonly match: RedirectMatch; readonly key: string }[],
  transaction: Transaction,
): Promise<RedirectGroup[]> {
  const found = await rows<DeliveredRedirect>(
    db,
    `SELECT ${DELIVERED} FROM unnest($2::text[], $3::text[]) AS wanted (match, key)
     JOIN redirects r ON r.match = wanted.match AND md5(r.key) = md5(wanted.key) AND r.key = wanted.key WHERE ${ANSWERING} ORDER BY r.place, r.id`,
    [siteId, wanted.map(({ match }) => match), wanted.map(({ key }) => key)],
    transaction,
  )
  return grouped(found)
}

/** Groups one after the other, in the order of what they are found by. @param after - of the last one that was read */
export async function redirectGroupsAfter(
  db: Database,
  siteId: string,
  { after, limit }: { after: RedirectGroup | null; limit: number },
  transaction: Transaction,
): Promise<RedirectGroup[]> {
  const keys = await rows<{ match: RedirectMatch; key: string }>(
    db,
    `SELECT DISTINCT r.match, md5(r.key) AS sum, r.key FROM redirects r
     WHERE ${ANSWERING} AND ($2::text IS NULL OR (r.match, md5(r.key)) > ($2, md5($3))) ORDER BY r.match, sum LIMIT $4`,
    [siteId, after?.match ?? null, after?.key ?? '', limit],
    transaction,
  )
  const groups = new Map((await redirectGroups(db, siteId, keys, transaction)).map((group) => [group.id, group]))
  return keys.flatMap(({ match, key }) => groups.get(`${match} ${key}`) ?? [])
}

/** All rows that have to be asked. */
export async function askedRedirects(db: Database, siteId: string, transaction: Transaction): Promise<DeliveredRedirect[]> {
  return rows(db, `SELECT ${DELIVERED} FROM redirects r WHERE ${ANSWERING} AND r.match IN ('pattern', 'expression')`, [siteId], transaction)
}

/** Rows as they stood at a moment: those that are found by these, and those that have to be asked. */
export function redirectsAt(
  db: Database,
  siteId: string,
  at: Date,
  wanted: readonly { readonly match: RedirectMatch; readonly key: string }[],
  transaction: Transaction,
): Promise<DeliveredRedirect[]> {
  return rows(
    db,
    `SELECT s.id, s.state->>'match' AS match, s.state->>'key' AS key, s.state->>'from' AS "from", ARRAY(SELECT jsonb_array_elements_text(s.state->'hosts')) AS hosts,
       s.state->'when' AS "when", s.state->>'to' AS "to", (s.state->>'status')::int AS status, s.state->>'query' AS query,
       (s.state->>'beatsPages')::boolean AS "beatsPages", (s.state->>'place')::float8 AS "order"
     FROM (SELECT DISTINCT ON (v.redirect_id) v.redirect_id AS id, v.state FROM redirect_revisions v JOIN redirects r ON r.id = v.redirect_id
       WHERE r.site_id = $1 AND v.at <= $2 ORDER BY v.redirect_id, v.version DESC) s
     WHERE NOT (s.state->>'isRemoved')::boolean AND (s.state->>'isOn')::boolean AND (s.state->>'match' IN ('pattern', 'expression')
       OR (s.state->>'match', s.state->>'key') IN (SELECT * FROM unnest($3::text[], $4::text[])))`,
    [siteId, at, wanted.map(({ match }) => match), wanted.map(({ key }) => key)],
    transaction,
  )
}

/** Whether a page or file is live at one of these paths. */
export async function isLiveAt(db: Database, siteId: string, paths: readonly string[], transaction: Transaction): Promise<boolean> {
  const [row] = await rows<{ is: boolean }>(
    db,
    `SELECT EXISTS (SELECT 1 FROM pages WHERE site_id = $1 AND kind = 'page' AND path = ANY($2::text[]) AND live_hash IS NOT NULL
       UNION ALL SELECT 1 FROM files WHERE site_id = $1 AND path = ANY($2::text[]) AND live_hash IS NOT NULL) AS is`,
    [siteId, paths],
    transaction,
  )
  return row?.is === true
}

/** Whether any row answers only under a condition. */
export async function hasConditionalRedirects(db: Database, siteId: string, transaction: Transaction): Promise<boolean> {
  const [row] = await rows<{ has: boolean }>(
    db,
    `SELECT EXISTS (SELECT 1 FROM redirects WHERE site_id = $1 AND removed_at IS NULL AND is_on AND conditions <> '{}') AS has`,
    [siteId],
    transaction,
  )
  return row?.has === true
}
