import type { SHORT_LINK_SORTS, ShortLink } from '../contract/short-links.ts'
import { type Database, rows, type Transaction } from './database.ts'
import { leadsTo } from './partners.ts'
import { insert, selectOne, update } from './plain.ts'
import { fillShortLinks } from './short-link-watch.ts'
import {
  changeCounters,
  columnsOf,
  hosts,
  SHORT_LINK_SAYS,
  type ShortLinkRow,
  selected,
  shortLinkChanges,
  shortLinks,
} from './tables/index.ts'

const OWN = ['id', 'siteId', 'hostId', ...SHORT_LINK_SAYS, 'version', 'createdAt', 'slug'] as const

export interface ListedShortLink extends Pick<ShortLinkRow, (typeof OWN)[number]> {
  readonly host: string
  readonly prefix: string
  /** When it was made, to the microsecond: rows of one list differ by less than a Date can tell. */
  readonly madeAt: string
  readonly clicks: number
  readonly otherClicks: number
  /** Its destination does not answer; it has had all the clicks that it was to have. */
  readonly isDown: boolean
  readonly isFull: boolean
}

export interface ShortLinkFilter {
  readonly siteId: string
  readonly id?: string | undefined
  readonly slug?: string | undefined
  readonly search?: string | undefined
  readonly tag?: string | undefined
  readonly state?: ShortLink['state'] | undefined
  readonly host?: string | undefined
  /** Hosts to one of which, or below it, they lead. */
  readonly leadsTo?: readonly string[] | undefined
  /** "created at" and id of the last one seen, newest first. */
  readonly after?: { readonly at: string; readonly id: string } | undefined
  readonly limit: number
}

const LISTED = `${selected(shortLinks, OWN, 'l')}, ${selected(hosts, ['host', 'prefix'], 'h')}, l.down_at IS NOT NULL AS "isDown", l.full_at IS NOT NULL AS "isFull",
  to_char(l.created_at AT TIME ZONE 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS.US"Z"') AS "madeAt"`

export const FROM = 'FROM short_links l JOIN hosts h ON h.id = l.host_id AND h.removed_at IS NULL'

/** Found short links are counted up to here; beyond it only "more than" is known. */
export const COUNTED_MAX = 10_000

/** A word as LIKE finds it anywhere in small letters, whatever signs it has. */
export const likeOf = (word: string): string => `%${word.toLowerCase().replace(/[\\%_]/g, '\\$&')}%`

/** What a short link has to be for its state; those that are in another than "answers" have a course, or were found full or down. */
const STATES: Readonly<Record<ShortLink['state'], string>> = (() => {
  const now = '(extract(epoch FROM now()) * 1000)'
  const special = `(l.course <> '{}' OR l.down_at IS NOT NULL OR l.full_at IS NOT NULL)`
  const notYet = `coalesce((l.course->>'startsAtMs')::float8 > ${now}, false)`
  const over = `(l.full_at IS NOT NULL OR coalesce((l.course->>'endsAtMs')::float8 <= ${now}, false))`
  return {
    'not yet': `${special} AND ${notYet}`,
    over: `${special} AND NOT ${notYet} AND ${over}`,
    down: `${special} AND NOT ${notYet} AND NOT ${over} AND l.down_at IS NOT NULL`,
    answers: `NOT ${notYet} AND NOT ${over} AND l.down_at IS NULL`,
  }
})()

/** What a filter says of a short link, as SQL. @param bind - values that are bound; the site's id is the first */
function narrowing(filter: Omit<ShortLinkFilter, 'after' | 'limit'>, bind: unknown[]): string[] {
  const where = ['l.site_id = $1', 'l.removed_slugs IS NULL']
  const also = (sql: (n: string) => string, value: unknown): void => {
    bind.push(value)
    where.push(sql(`$${bind.length}`))
  }
  if (filter.id !== undefined) also((n) => `l.id = ${n}`, filter.id)
  if (filter.slug !== undefined)
    also(
      (n) =>
        `l.id IN (SELECT short_link_id FROM short_link_slugs s JOIN hosts o ON o.id = s.host_id WHERE o.site_id = $1 AND s.slug = ${n})`,
      filter.slug,
    )
  if (filter.tag !== undefined) also((n) => `l.tags <> '{}' AND l.tags @> ARRAY[${n}::text]`, filter.tag)
  if (filter.host !== undefined) also((n) => `h.host = ${n}`, filter.host)
  if (filter.leadsTo !== undefined)
    also(
      (n) => `l.id IN (SELECT t.id FROM unnest(${n}::text[]) AS w (host) JOIN short_links t ON t.site_id = $1 AND ${leadsTo('t')})`,
      filter.leadsTo,
    )
  if (filter.state !== undefined) where.push(STATES[filter.state])
  for (const word of wordsOf(filter)) also((n) => `l.words LIKE ${n}`, likeOf(word))
  return where
}
const wordsOf = ({ search = '' }: Pick<ShortLinkFilter, 'search'>): string[] => search.split(/\s+/).filter((each) => each !== '')

/**
 * Short links in another order than the newest first, which takes all that are found: no more than `most`.
 * @param sort - "ending": of those that end alone
 * @returns null where there are more
 */
export async function sortedShortLinks(
  db: Database,
  filter: Omit<ShortLinkFilter, 'after'>,
  { sort, most, offset }: { sort: Exclude<(typeof SHORT_LINK_SORTS)[number], 'newest'>; most: number; offset: number },
): Promise<{ items: ListedShortLink[]; total: number } | null> {
  const bind: unknown[] = [filter.siteId]
  const where = narrowing(filter, bind)
  if (sort === 'ending') where.push(`l.course ? 'endsAtMs' AND (l.course->>'endsAtMs')::float8 > extract(epoch FROM now()) * 1000`)
  const found = await rows<{ id: string }>(db, `SELECT l.id ${FROM} WHERE ${where.join(' AND ')} LIMIT ${most + 1}`, bind)
  if (found.length > most) return null
  const by =
    sort === 'clicks'
      ? 'clicks DESC, found."createdAt" DESC, found.id'
      : `(found.course->>'endsAtMs')::float8, found."createdAt" DESC, found.id`
  const items = await rows<ListedShortLink>(
    db,
    `SELECT found.*, ${CLICKS} FROM (SELECT ${LISTED} ${FROM} WHERE l.id = ANY($1::uuid[])) found ORDER BY ${by} LIMIT $2 OFFSET $3`,
    [found.map(({ id }) => id), filter.limit, offset],
  )
  return { items, total: found.length }
}

const CLICKS = `(SELECT coalesce(sum(r.clicks), 0)::int FROM click_rollups r WHERE r.short_link_id = found.id AND r.visit = 'person') AS clicks,
  (SELECT coalesce(sum(r.clicks), 0)::int FROM click_rollups r WHERE r.short_link_id = found.id AND r.visit <> 'person') AS "otherClicks"`

/** Short links, newest first, with the clicks of people. `total` is up to {@link COUNTED_MAX} + 1, and null where nothing is looked for. */
export async function listShortLinks(db: Database, filter: ShortLinkFilter): Promise<{ items: ListedShortLink[]; total: number | null }> {
  const bind: unknown[] = [filter.siteId]
  const where = narrowing(filter, bind)
  const { id, slug, tag, state, host, leadsTo: to } = filter
  const isNarrowed = [id, slug, tag, state, host, to].some((each) => each !== undefined) || wordsOf(filter).length > 0
  const [count] = isNarrowed
    ? await rows<{ total: number }>(
        db,
        `SELECT count(*)::int AS total FROM (SELECT 1 ${FROM} WHERE ${where.join(' AND ')} LIMIT ${COUNTED_MAX + 1}) found`,
        bind,
      )
    : []
  if (filter.after !== undefined) {
    bind.push(filter.after.at, filter.after.id)
    where.push(`(l.created_at, l.id) < ($${bind.length - 1}::timestamptz, $${bind.length}::uuid)`)
  }
  bind.push(filter.limit)
  const items = await rows<ListedShortLink>(
    db,
    `SELECT found.*, ${CLICKS} FROM (SELECT ${LISTED} ${FROM} WHERE ${where.join(' AND ')} ORDER BY l.created_at DESC, l.id DESC LIMIT $${bind.length}) found
     ORDER BY found."createdAt" DESC, found.id DESC`,
    bind,
  )
  return { items, total: count?.total ?? null }
}

/** How many short links of a site answer. Reads them all: for a first count. */
export async function countShortLinks(db: Database, siteId: string): Promise<number> {
  const [row] = await rows<{ total: number }>(
    db,
    `SELECT count(*)::int AS total ${FROM} WHERE l.site_id = $1 AND l.removed_slugs IS NULL`,
    [siteId],
  )
  return row?.total ?? 0
}

/** A count that was kept, and the number of the log at which it was right; null where none is. */
export async function keptCount(db: Database, siteId: string): Promise<{ number: number; total: number } | null> {
  const row = await selectOne(db, changeCounters, ['shortLinksAt', 'shortLinksTotal'], { siteId })
  return row?.shortLinksAt == null || row.shortLinksTotal === null ? null : { number: Number(row.shortLinksAt), total: row.shortLinksTotal }
}

export async function keepCount(db: Database, siteId: string, count: { number: number; total: number }): Promise<void> {
  await update(db, changeCounters, { shortLinksAt: String(count.number), shortLinksTotal: count.total }, { siteId })
}

/** How many short links came and went since a number of the log. @returns null where the log does not tell */
export async function countedSince(db: Database, siteId: string, after: number): Promise<{ number: number; difference: number } | null> {
  const [row] = await rows<{ first: string | null; last: string | null; difference: number; isOther: boolean; prunedTo: string | null }>(
    db,
    `SELECT min(number) AS first, max(number) AS last, coalesce(bool_or(capability = 'hosts'), false) AS "isOther",
       (count(*) FILTER (WHERE capability = 'short-links' AND what = 'made') - count(*) FILTER (WHERE capability = 'short-links' AND what = 'removed'))::int AS difference,
       (SELECT pruned_to FROM change_counters WHERE site_id = $1) AS "prunedTo"
     FROM changes WHERE site_id = $1 AND number > $2`,
    [siteId, after],
  )
  // A host that comes or goes takes its short links along.
  if (row === undefined || row.isOther || Number(row.prunedTo ?? 0) > after) return null
  if (row.first === null) return { number: after, difference: 0 }
  return Number(row.first) === after + 1 ? { number: Number(row.last), difference: row.difference } : null
}

/** Shortest word that the index finds by itself. */
const INDEXED_CHARS = 3

/** Some short links that have all of these words in slug, title or destination. Words too short for the index only narrow what longer ones find. */
export function searchShortLinks(
  db: Database,
  siteId: string,
  words: readonly string[],
  limit: number,
): Promise<{ host: string; prefix: string; slug: string; destination: string; title: string }[]> {
  if (!words.some((word) => word.length >= INDEXED_CHARS)) return Promise.resolve([])
  return rows(
    db,
    `SELECT h.host, h.prefix, l.slug, l.destination, l.title ${FROM} WHERE l.site_id = $1 AND l.removed_slugs IS NULL
     ${words.map((_, i) => `AND l.words LIKE $${i + 3}`).join(' ')} LIMIT $2`,
    [siteId, limit, ...words.map(likeOf)],
  )
}

/** Takes a short link away: it keeps its history, and its slugs are free. The main one stands first. */
export async function withdrawShortLink(db: Database, siteId: string, id: string, transaction: Transaction): Promise<boolean> {
  const gone = await rows<{ slug: string }>(
    db,
    `WITH gone AS (DELETE FROM short_link_slugs s USING short_links l WHERE s.short_link_id = l.id AND l.id = $1 AND l.site_id = $2
       RETURNING s.slug, s.is_main, s.host_id, l.host_id AS main_host)
     UPDATE short_links SET removed_slugs = (SELECT array_agg(slug ORDER BY is_main DESC, slug) FROM gone WHERE host_id = main_host),
       removed_elsewhere = (SELECT coalesce(jsonb_agg(jsonb_build_object('hostId', host_id, 'slug', slug)), '[]') FROM gone WHERE host_id <> main_host),
       updated_at = now()
     WHERE id = $1 AND EXISTS (SELECT 1 FROM gone) RETURNING id`,
    [id, siteId],
    transaction,
  )
  return gone.length === 1
}

/** Brings a short link back with the slugs it had. @returns the slugs that somebody else took meanwhile; null when it is not gone */
export async function returnShortLink(
  db: Database,
  siteId: string,
  id: string,
  transaction: Transaction,
): Promise<{ slug: string; isTaken: boolean }[] | null> {
  const [link] = await rows<{ hostId: string; slugs: string[]; elsewhere: { hostId: string; slug: string }[] }>(
    db,
    `UPDATE short_links SET removed_slugs = NULL, removed_elsewhere = '[]'
     FROM (SELECT removed_slugs, removed_elsewhere FROM short_links WHERE id = $1 AND site_id = $2 FOR UPDATE) AS before
     WHERE short_links.id = $1 AND before.removed_slugs IS NOT NULL
     RETURNING host_id AS "hostId", before.removed_slugs AS slugs, before.removed_elsewhere AS elsewhere`,
    [id, siteId],
    transaction,
  )
  if (link === undefined) return null
  const found: { slug: string; isTaken: boolean }[] = []
  const all = [...link.slugs.map((slug) => ({ hostId: link.hostId, slug })), ...link.elsewhere]
  for (const [index, { hostId, slug }] of all.entries()) {
    const made = await rows(
      db,
      'INSERT INTO short_link_slugs (host_id, slug, short_link_id, is_main) VALUES ($1, $2, $3, $4) ON CONFLICT DO NOTHING RETURNING slug',
      [hostId, slug, id, index === 0],
      transaction,
    )
    found.push({ slug, isTaken: made.length === 0 })
  }
  return found
}

/** Pages whose drafts lead to one of these addresses. */
export async function pagesLeadingTo(
  db: Database,
  siteId: string,
  hrefs: readonly string[],
  limit: number,
): Promise<{ items: { id: string; title: string; path: string }[]; total: number }> {
  const items = await rows<{ id: string; title: string; path: string; total: number }>(
    db,
    `SELECT p.id, p.title, p.path, count(*) OVER ()::int AS total FROM pages p
     WHERE p.site_id = $1 AND EXISTS (SELECT 1 FROM placements l WHERE l.page_id = p.id AND l.href = ANY($2::text[])) ORDER BY p.path LIMIT $3`,
    [siteId, hrefs, limit],
  )
  return { items: items.map(({ id, title, path }) => ({ id, title, path })), total: items[0]?.total ?? 0 }
}

/** What a version of a short link says. */
export type ShortLinkVersion = Readonly<Pick<ShortLinkRow, (typeof SHORT_LINK_SAYS)[number]>>

/** Adds a short link with its first version; its slugs are taken by {@link setSlugs}. @returns its id */
export async function insertShortLink(
  db: Database,
  {
    personId,
    ...link
  }: ShortLinkVersion & { readonly siteId: string; readonly hostId: string; readonly slug: string; readonly personId: string },
  transaction: Transaction,
): Promise<string> {
  const { id } = await insert(db, shortLinks, link, transaction)
  await keepVersions(db, [id], personId, transaction)
  return id
}

/** Puts a version on top of `version`: what is not given stays. @returns false when that is not the newest */
export async function updateShortLink(
  db: Database,
  {
    siteId,
    id,
    version,
    personId,
    ...change
  }: Partial<ShortLinkVersion> & { siteId: string; id: string; version: number; personId: string | null },
  transaction: Transaction,
): Promise<boolean> {
  // What it was stopped for may no longer hold.
  const isElsewhere = change.course !== undefined || change.destination !== undefined
  const looked = isElsewhere ? { fullAt: null, downAt: null, lookedAt: null } : {}
  const next = { ...change, ...looked, version: version + 1 }
  if ((await update(db, shortLinks, next, { id, siteId, version }, transaction)) === 0) return false
  if (change.course?.clickLimit !== undefined) await fillShortLinks(db, [id], transaction)
  await keepVersions(db, [id], personId, transaction)
  return true
}

const SAYS = columnsOf(shortLinks, SHORT_LINK_SAYS)

/** Keeps what short links say now as their newest versions. */
export async function keepVersions(db: Database, ids: readonly string[], personId: string | null, transaction: Transaction): Promise<void> {
  await rows(
    db,
    `INSERT INTO short_link_changes (short_link_id, version, ${SAYS}, person_id) SELECT id, version, ${SAYS}, $2 FROM short_links WHERE id = ANY($1::uuid[])`,
    [ids, personId],
    transaction,
  )
}

/** What a short link has said until now, newest first. */
export function shortLinkVersions(
  db: Database,
  siteId: string,
  id: string,
  limit: number,
): Promise<(ShortLinkVersion & { version: number; at: Date; by: string | null })[]> {
  return rows(
    db,
    `SELECT ${selected(shortLinkChanges, ['version', ...SHORT_LINK_SAYS], 'c')}, c.created_at AS at, p.name AS by FROM short_link_changes c
     JOIN short_links l ON l.id = c.short_link_id LEFT JOIN people p ON p.id = c.person_id
     WHERE l.site_id = $1 AND l.id = $2 ORDER BY c.version DESC LIMIT $3`,
    [siteId, id, limit],
  )
}

/** The tags of a site's short links, those that are on most of them first; counted in the newest {@link COUNTED_MAX} that have any. */
export function shortLinkTags(db: Database, siteId: string, limit: number): Promise<{ tag: string; links: number }[]> {
  return rows(
    db,
    `SELECT tag, count(*)::int AS links FROM (SELECT tags FROM short_links l WHERE l.site_id = $1 AND l.tags <> '{}' AND l.removed_slugs IS NULL
       ORDER BY l.created_at DESC LIMIT $3) newest, unnest(newest.tags) AS tag GROUP BY tag ORDER BY links DESC, tag LIMIT $2`,
    [siteId, limit, COUNTED_MAX],
  )
}
