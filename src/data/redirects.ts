import type { RedirectDraft } from '../core/exchange/index.ts'
import { neededText, type Redirect, type RedirectMatch, type RedirectStatus } from '../core/routing/index.ts'
import { type Database, rows, type Transaction } from './database.ts'
import { likeOf } from './short-links.ts'
import { REDIRECT_SAYS, type RedirectRow, redirects, selected, selectedFromState } from './tables/index.ts'

/** What a row of a site's redirects says, and by what it is found. */
export type RedirectFields = RedirectDraft & Readonly<Pick<RedirectRow, 'key'>>

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

const PLACED = ['id', 'place', 'version', 'createdAt'] as const
const SHOWN = selected(redirects, [...PLACED, ...REDIRECT_SAYS.filter((field) => field !== 'key')], 'r')
const KEPT = selected(redirects, [...PLACED, ...REDIRECT_SAYS], 'r')
const HITS = `(SELECT coalesce(sum(c.clicks) FILTER (WHERE c.visit = 'person'), 0)::int FROM click_rollups c WHERE c.short_link_id = found.id) AS hits,
  (SELECT coalesce(sum(c.clicks) FILTER (WHERE c.visit <> 'person'), 0)::int FROM click_rollups c WHERE c.short_link_id = found.id) AS "otherHits",
  (SELECT max(c.day)::text FROM click_rollups c WHERE c.short_link_id = found.id) AS "lastHitOn"`

/** Rows that are counted; beyond it only "more than" is known. */
export const COUNTED_REDIRECTS_MAX = 10_000

/** How a table is narrowed. */
export interface RedirectFilter {
  readonly search?: string | undefined
  readonly statuses?: readonly number[]
  readonly matches?: readonly string[]
  /** "all" for rows that are for all hosts. */
  readonly hosts?: readonly string[]
  readonly states?: readonly string[]
}

const NEVER_HIT = 'NOT EXISTS (SELECT 1 FROM click_rollups c WHERE c.short_link_id = r.id)'
const STATES = new Map<string, string>(
  Object.entries({
    on: 'r.is_on',
    off: 'NOT r.is_on',
    'never-hit': NEVER_HIT,
    conditional: "r.conditions <> '{}'",
    scheduled: "r.conditions ?| array['fromMs', 'untilMs']",
  }),
)

function narrowed(
  siteId: string,
  { search, statuses = [], matches = [], hosts = [], states = [] }: RedirectFilter,
): { where: string[]; bind: unknown[] } {
  const bind: unknown[] = [siteId]
  const where = ['r.site_id = $1', 'r.removed_at IS NULL']
  for (const word of (search ?? '').split(/\s+/).filter((each) => each !== '')) where.push(`r.words LIKE $${bind.push(likeOf(word))}`)
  if (statuses.length > 0) where.push(`r.status = ANY($${bind.push(statuses)}::int[])`)
  if (matches.length > 0) where.push(`r.match = ANY($${bind.push(matches)}::text[])`)
  if (hosts.length > 0) where.push(`(r.hosts && $${bind.push(hosts)}::text[]${hosts.includes('all') ? " OR r.hosts = '{}'" : ''})`)
  const asked = states.flatMap((state) => STATES.get(state) ?? [])
  if (asked.length > 0) where.push(`(${asked.join(' OR ')})`)
  return { where, bind }
}

/** Orders of a table: by what, as text that the database compares, and which way. */
const ORDERS = {
  table: { by: 'r.place', type: 'float8', isDown: false },
  from: { by: 'left(r.source, 500)', type: 'text', isDown: false },
  hits: {
    by: "(SELECT coalesce(sum(c.clicks) FILTER (WHERE c.visit = 'person'), 0)::float8 FROM click_rollups c WHERE c.short_link_id = r.id)",
    type: 'float8',
    isDown: true,
  },
  last: {
    by: "(SELECT coalesce(max(c.day)::text, '') FROM click_rollups c WHERE c.short_link_id = r.id)",
    type: 'text',
    isDown: true,
  },
  newest: { by: 'extract(epoch FROM r.created_at)::float8', type: 'float8', isDown: true },
} as const
export type RedirectOrder = keyof typeof ORDERS

/** Rows in the order of the table, or another. `total` is up to {@link COUNTED_REDIRECTS_MAX} + 1. */
export async function listRedirects(
  db: Database,
  {
    siteId,
    id,
    after,
    limit,
    order = 'table',
    ...filter
  }: RedirectFilter & {
    readonly siteId: string
    readonly id?: string | undefined
    readonly order?: RedirectOrder | undefined
    /** By what the last one seen was put in order, and its id. */
    readonly after?: { readonly value: number | string; readonly id: string } | undefined
    readonly limit: number
  },
): Promise<{ items: (ListedRedirect & { readonly value: number | string })[]; total: number }> {
  const { where, bind } = narrowed(siteId, filter)
  if (id !== undefined) where.push(`r.id = $${bind.push(id)}`)
  const [count] = await rows<{ total: number }>(
    db,
    `SELECT count(*)::int AS total FROM (SELECT 1 FROM redirects r WHERE ${where.join(' AND ')} LIMIT ${COUNTED_REDIRECTS_MAX + 1}) counted`,
    bind,
  )
  const { by, type, isDown } = ORDERS[order]
  const [than, way] = isDown ? ['<', 'DESC'] : ['>', 'ASC']
  const collated = type === 'text' ? `${by} COLLATE "C"` : by
  if (after !== undefined) where.push(`(${collated}, r.id) ${than} ($${bind.push(after.value)}::${type}, $${bind.push(after.id)}::uuid)`)
  const items = await rows<ListedRedirect & { value: number | string }>(
    db,
    `SELECT found.*, ${HITS} FROM (SELECT ${SHOWN}, ${by} AS value FROM redirects r WHERE ${where.join(' AND ')} ORDER BY ${collated} ${way}, r.id ${way} LIMIT $${bind.push(limit)}) found
     ORDER BY found.value${type === 'text' ? ' COLLATE "C"' : ''} ${way}, found.id ${way}`,
    bind,
  )
  return { items, total: count?.total ?? 0 }
}

/** How many rows there are, up to a limit. */
export async function countRedirects(db: Database, siteId: string, limit: number): Promise<number> {
  const [found] = await rows<{ count: number }>(
    db,
    'SELECT count(*)::int AS count FROM (SELECT 1 FROM redirects WHERE site_id = $1 AND removed_at IS NULL LIMIT $2) counted',
    [siteId, limit],
  )
  return found?.count ?? 0
}

/** By what text a row is found that has to be asked; null for one that is found by its path. See `neededText`. */
export const needOf = ({ match, from }: Pick<RedirectFields, 'match' | 'from'>): string | null =>
  match === 'pattern' || match === 'expression' ? neededText(match, from) : null

/** How many rows have to be asked, and how many of them are found by each of these texts; those that are off among them. */
export async function countPatterns(
  db: Database,
  siteId: string,
  needs: readonly string[],
  transaction: Transaction,
): Promise<{ all: number; byNeed: ReadonlyMap<string, number> }> {
  const found = await rows<{ needs: string; count: number }>(
    db,
    `SELECT CASE WHEN needs = ANY($2::text[]) THEN needs END AS needs, count(*)::int AS count FROM redirects r
     WHERE ${WIDE} AND r.match IN ('pattern', 'expression') GROUP BY 1`,
    [siteId, needs],
    transaction,
  )
  return {
    all: found.reduce((sum, { count }) => sum + count, 0),
    byNeed: new Map(found.flatMap(({ needs: text, count }) => (text === null ? [] : [[text, count]]))),
  }
}

/** How many rows each choice of a facet has, of all rows; null where they are too many to be counted at once. */
export async function redirectFacets(
  db: Database,
  siteId: string,
): Promise<Record<'status' | 'match' | 'host' | 'state', { value: string; rows: number }[]> | null> {
  if ((await countRedirects(db, siteId, COUNTED_REDIRECTS_MAX + 1)) > COUNTED_REDIRECTS_MAX) return null
  const found = await rows<{ facet: 'status' | 'match' | 'host' | 'state'; value: string; rows: number }>(
    db,
    `WITH r AS MATERIALIZED (SELECT id, status, match, hosts, is_on, conditions FROM redirects WHERE site_id = $1 AND removed_at IS NULL)
     SELECT 'status' AS facet, status::text AS value, count(*)::int AS rows FROM r GROUP BY status
     UNION ALL SELECT 'match', match, count(*)::int FROM r GROUP BY match
     UNION ALL SELECT 'host', host, count(*)::int FROM r, unnest(CASE WHEN hosts = '{}' THEN array['all'] ELSE hosts END) AS host GROUP BY host
     ${[...STATES].map(([state, asked]) => `UNION ALL SELECT 'state', '${state}', count(*)::int FROM r WHERE ${asked}`).join(' ')}
     ORDER BY facet, rows DESC, value`,
    [siteId],
  )
  const facets = { status: [], match: [], host: [], state: [] } as Record<
    'status' | 'match' | 'host' | 'state',
    { value: string; rows: number }[]
  >
  for (const { facet, ...each } of found) if (each.rows > 0) facets[facet].push(each)
  return facets
}

/** A row as it answers, and what it is found by. */
export interface DeliveredRedirect extends Redirect {
  readonly key: string
  readonly isHidden?: boolean
}

/** Rows that are found by the same: they are asked together. */
export interface RedirectGroup {
  /** See `redirectGroup`. */
  readonly id: string
  readonly match: RedirectMatch
  readonly key: string
  readonly rows: readonly DeliveredRedirect[]
}

/** Each row is looked up by the index: a table that was just filled, and of which the planner knows nothing, would be gone through as a whole. */
const EACH = 'OFFSET 0'
/** Rows by what they are found by, in the words of `redirects_key`, so that no other index takes its place (migration 025). */
const FILED = `CASE WHEN r.removed_at IS NULL THEN 'key ' || r.site_id::text END = 'key ' || $1::uuid::text`
/**
 * Rows for more than one path, in the words of `redirects_wide`, which has no others: two kinds of them looked up by `redirects_key` may
 * be read as all rows of the site, where the planner believes that these are few.
 */
const WIDE = `CASE WHEN r.removed_at IS NULL THEN 'wide ' || r.site_id::text END = 'wide ' || $1::uuid::text AND strpos(r.match, 'exact') = 0`
/** Written so that rows that are asked for by their ids are found by these. */
const ANSWERING = 'r.site_id::text = $1::uuid::text AND num_nonnulls(r.removed_at) = 0 AND r.is_on'
/** What of a row answers; the note is for people. */
const ANSWERS = REDIRECT_SAYS.filter((field) => field !== 'note' && field !== 'isOn')
const DELIVERED = `${selected(redirects, ['id', ...ANSWERS], 'r')}, r.place AS "order"`

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
    `SELECT ${DELIVERED} FROM (SELECT DISTINCT match, key FROM unnest($2::text[], $3::text[]) AS given (match, key)) wanted
     CROSS JOIN LATERAL (SELECT * FROM redirects r WHERE r.match = wanted.match AND md5(r.key) = md5(wanted.key) AND r.key = wanted.key AND ${FILED} AND r.is_on ${EACH}) r
     ORDER BY r.place, r.id`,
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
    // Rows are cut off before they are told apart: else all that are left would be put in order for each stretch.
    `SELECT DISTINCT match, sum, key FROM (SELECT r.match, md5(r.key) AS sum, r.key FROM redirects r
       WHERE ${FILED} AND r.is_on AND (r.match, md5(r.key)) > ($2, CASE WHEN $2 = '' THEN '' ELSE md5($3) END) ORDER BY r.match, md5(r.key) LIMIT $4) next
     ORDER BY match, sum`,
    [siteId, after?.match ?? '', after?.key ?? '', limit],
    transaction,
  )
  const groups = new Map((await redirectGroups(db, siteId, keys, transaction)).map((group) => [group.id, group]))
  return keys.flatMap(({ match, key }) => groups.get(`${match} ${key}`) ?? [])
}

/** What fields say that revisions from before their time have not. */
export const OLDER_STATES = { isHidden: 'true' } as const

/** All rows that have to be asked. @param isDraft - those that are switched off as well */
export async function askedRedirects(
  db: Database,
  siteId: string,
  transaction: Transaction,
  isDraft = false,
): Promise<DeliveredRedirect[]> {
  return rows(
    db,
    `SELECT ${DELIVERED} FROM redirects r WHERE ${WIDE} ${isDraft ? '' : 'AND r.is_on'} AND r.match IN ('pattern', 'expression')`,
    [siteId],
    transaction,
  )
}

/** Rows for everything under a path, any so many of them. */
export function underRedirects(db: Database, siteId: string, limit: number, transaction: Transaction): Promise<DeliveredRedirect[]> {
  return rows(
    db,
    `SELECT ${DELIVERED} FROM redirects r WHERE ${WIDE} AND r.is_on AND r.match = 'under' LIMIT $2`,
    [siteId, limit],
    transaction,
  )
}

/** How often people were answered by these rows in the last 30 days, all in all. */
export async function visitsOfRows(db: Database, ids: readonly string[], transaction: Transaction): Promise<number> {
  const [found] = await rows<{ visits: number }>(
    db,
    `SELECT coalesce(sum(clicks), 0)::int AS visits FROM click_rollups
     WHERE short_link_id = ANY($1::uuid[]) AND visit = 'person' AND day > current_date - 30`,
    [ids],
    transaction,
  )
  return found?.visits ?? 0
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
    `SELECT s.id, ${selectedFromState(redirects, ANSWERS, 's.state', OLDER_STATES)}, (s.state->>'place')::float8 AS "order"
     FROM (SELECT DISTINCT ON (v.redirect_id) v.redirect_id AS id, v.state FROM redirect_versions v JOIN redirects r ON r.id = v.redirect_id
       WHERE r.site_id = $1 AND v.at <= $2 ORDER BY v.redirect_id, v.version DESC) s
     WHERE NOT (s.state->>'isRemoved')::boolean AND (s.state->>'isOn')::boolean AND (s.state->>'match' IN ('pattern', 'expression')
       OR (s.state->>'match', s.state->>'key') IN (SELECT * FROM unnest($3::text[], $4::text[])))`,
    [siteId, at, wanted.map(({ match }) => match), wanted.map(({ key }) => key)],
    transaction,
  )
}

/** Whether a page or file was live at one of these paths on a past day: what the first publication after it replaced was. */
export async function wasLiveAt(
  db: Database,
  siteId: string,
  at: Date,
  paths: readonly string[],
  transaction: Transaction,
): Promise<boolean> {
  const [row] = await rows<{ was: boolean }>(
    db,
    `WITH later AS (
       SELECT DISTINCT ON (i.kind, i.path) i.kind, i.path, i.from_hash FROM publication_items i JOIN publications u ON u.id = i.publication_id
       WHERE u.site_id = $1 AND i.kind IN ('page', 'file') AND i.path = ANY($2::text[]) AND u.created_at > $3 ORDER BY i.kind, i.path, u.number)
     SELECT EXISTS (SELECT 1 FROM later WHERE from_hash IS NOT NULL)
       OR EXISTS (SELECT 1 FROM pages p WHERE p.site_id = $1 AND p.kind = 'page' AND p.path = ANY($2::text[]) AND p.live_hash IS NOT NULL
         AND NOT EXISTS (SELECT 1 FROM later WHERE later.kind = 'page' AND later.path = p.path))
       OR EXISTS (SELECT 1 FROM files f WHERE f.site_id = $1 AND f.path = ANY($2::text[]) AND f.live_hash IS NOT NULL
         AND NOT EXISTS (SELECT 1 FROM later WHERE later.kind = 'file' AND later.path = f.path)) AS was`,
    [siteId, paths, at],
    transaction,
  )
  return row?.was === true
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

/** Paths at which pages stand, or stood, that differ from these by capitals alone, or not at all. */
export async function pagePathsByCapitals(
  db: Database,
  siteId: string,
  paths: readonly string[],
  transaction: Transaction,
): Promise<string[]> {
  const found = await rows<{ path: string }>(
    db,
    `SELECT path FROM pages WHERE site_id = $1 AND kind = 'page' AND md5(lower(path)) IN (SELECT md5(lower(given)) FROM unnest($2::text[]) AS given)
     ORDER BY path`,
    [siteId, paths],
    transaction,
  )
  return found.map(({ path }) => path)
}

/** Which of these paths a page or file is live at. */
export async function livePaths(
  db: Database,
  siteId: string,
  paths: readonly string[],
  transaction: Transaction,
): Promise<ReadonlySet<string>> {
  const found = await rows<{ path: string }>(
    db,
    `SELECT path FROM pages WHERE site_id = $1 AND kind = 'page' AND path = ANY($2::text[]) AND live_hash IS NOT NULL
     UNION SELECT path FROM files WHERE site_id = $1 AND path = ANY($2::text[]) AND live_hash IS NOT NULL`,
    [siteId, paths],
    transaction,
  )
  return new Set(found.map(({ path }) => path))
}

/** Rows that are found by these, those that are off among them, as they are kept. */
export function keptRedirects(
  db: Database,
  siteId: string,
  wanted: readonly { readonly match: RedirectMatch; readonly key: string }[],
  transaction: Transaction,
): Promise<(RedirectFields & { id: string; version: number; place: number })[]> {
  return rows(
    db,
    `SELECT ${KEPT} FROM (SELECT DISTINCT match, key FROM unnest($2::text[], $3::text[]) AS given (match, key)) wanted
     CROSS JOIN LATERAL (SELECT * FROM redirects r WHERE r.match = wanted.match AND md5(r.key) = md5(wanted.key) AND r.key = wanted.key AND ${FILED} ${EACH}) r
     ORDER BY r.place, r.id`,
    [siteId, wanted.map(({ match }) => match), wanted.map(({ key }) => key)],
    transaction,
  )
}

/** Rows by their ids, as they are kept; those that are gone are left out. */
export function redirectsById(
  db: Database,
  siteId: string,
  ids: readonly string[],
  transaction?: Transaction,
): Promise<(RedirectFields & { id: string; version: number; place: number })[]> {
  return rows(
    db,
    `SELECT ${KEPT} FROM redirects r WHERE r.site_id = $1 AND r.removed_at IS NULL AND r.id = ANY($2::uuid[])`,
    [siteId, ids],
    transaction,
  )
}

/** Whether a site has any row that answers. */
export async function hasRedirects(db: Database, siteId: string, transaction: Transaction): Promise<boolean> {
  const [row] = await rows<{ has: boolean }>(
    db,
    'SELECT EXISTS (SELECT 1 FROM redirects WHERE site_id = $1 AND removed_at IS NULL AND is_on) AS has',
    [siteId],
    transaction,
  )
  return row?.has === true
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

/** Rows that are offered for menus: addresses of the site's own that lead somewhere. Those that have all of these words. */
export function shownRedirects(
  db: Database,
  siteId: string,
  words: readonly string[],
  limit: number,
): Promise<{ id: string; from: string; to: string; note: string }[]> {
  return rows(
    db,
    `SELECT r.id, r.source AS "from", r.destination AS "to", r.note FROM redirects r
     WHERE r.site_id = $1 AND NOT r.is_hidden AND r.removed_at IS NULL AND r.is_on AND r.match = 'exact' AND r.status < 400
       ${words.map((_, i) => `AND r.words LIKE $${i + 3}`).join(' ')} ORDER BY r.place LIMIT $2`,
    [siteId, limit, ...words.map(likeOf)],
  )
}
