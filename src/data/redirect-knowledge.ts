import { type Database, rows, type Transaction } from './database.ts'
import type { RedirectFields } from './redirects.ts'
import { REDIRECT_SAYS, redirects, selected } from './tables/index.ts'

/** A page or file as it is suggested. */
export interface KnownPageRow {
  readonly id: string
  readonly path: string
  readonly title: string
  readonly isLive: boolean
  /** Paths that it has moved from, and from which rows lead to it. */
  readonly past: readonly string[]
}

/** Rows of which a page's past is made, and that are looked at for it: to a front page a million may lead. */
const LEADING_MAX = 4
const LOOKED_AT_MAX = 50
const LEADING = `ARRAY(SELECT near.source FROM (SELECT r.source, r.destination, r.match, r.is_on FROM redirects r
    WHERE CASE WHEN r.removed_at IS NULL THEN 'inside ' || r.site_id::text END = 'inside ' || $1::uuid::text
      AND r.destination LIKE '/%' AND left(lower(r.destination), 120) COLLATE "C" = left(lower(p.path), 120) COLLATE "C" LIMIT ${LOOKED_AT_MAX}) near
  WHERE near.destination = p.path AND near.match = 'exact' AND near.is_on LIMIT ${LEADING_MAX})`

const PAGE = `p.id, p.path, p.title, p.live_hash IS NOT NULL AS "isLive"`
/** By page, as text: paths that it has moved from. */
const MOVED = `SELECT subject, array_agg(detail->>'from') AS past FROM audit WHERE site_id = $1 AND action = 'pages:move' GROUP BY subject`

/** Some pages and files of a site, gone ones too. */
export function knownPages(db: Database, siteId: string, ids: readonly string[], transaction: Transaction): Promise<KnownPageRow[]> {
  return rows(
    db,
    `SELECT ${PAGE}, coalesce(m.past, '{}') || ${LEADING} AS past FROM pages p LEFT JOIN (${MOVED}) m ON m.subject = p.id::text
       WHERE p.site_id = $1 AND p.kind = 'page' AND p.id = ANY($2::uuid[])
     UNION ALL SELECT id, path, '', live_hash IS NOT NULL, '{}' FROM files WHERE site_id = $1 AND id = ANY($2::uuid[])`,
    [siteId, ids],
    transaction,
  )
}

/** Pages and files read at once: few enough that nobody else on the thread waits for them. */
const PAGES_AT_ONCE = 1_000

/** All pages and files of a site, gone ones too, a stretch at a time. */
export async function* everyKnownPage(db: Database, siteId: string, transaction: Transaction): AsyncGenerator<KnownPageRow[]> {
  const moves = await rows<{ subject: string; past: string[] }>(db, MOVED, [siteId], transaction)
  const moved = new Map(moves.map(({ subject, past }) => [subject, past]))
  for (let after: string | null = null; ; ) {
    const found: KnownPageRow[] = await rows<KnownPageRow>(
      db,
      `(SELECT ${PAGE}, ${LEADING} AS past FROM pages p
         WHERE p.site_id = $1 AND p.kind = 'page' AND ($2::uuid IS NULL OR p.id > $2) ORDER BY p.id LIMIT $3)
       UNION ALL (SELECT id, path, '', live_hash IS NOT NULL, '{}' FROM files WHERE site_id = $1 AND ($2::uuid IS NULL OR id > $2) ORDER BY id LIMIT $3)
       ORDER BY id LIMIT $3`,
      [siteId, after, PAGES_AT_ONCE],
      transaction,
    )
    if (found.length > 0) yield found.map((page) => ({ ...page, past: [...(moved.get(page.id) ?? []), ...page.past] }))
    if (found.length < PAGES_AT_ONCE) return
    after = found[found.length - 1]?.id ?? null
  }
}

/** Pages that these rows lead to, or led to before. */
export async function pagesLedTo(db: Database, siteId: string, ids: readonly string[], transaction: Transaction): Promise<string[]> {
  const found = await rows<{ id: string }>(
    db,
    `SELECT DISTINCT p.id FROM redirect_versions v JOIN pages p ON p.site_id = $1 AND p.path = v.state->>'to' AND p.kind = 'page' WHERE v.redirect_id = ANY($2::uuid[])`,
    [siteId, ids],
    transaction,
  )
  return found.map(({ id }) => id)
}

/** What of a row is looked at where all are: neither what it is found by nor what people read of it. */
const REVIEWED = REDIRECT_SAYS.filter((field) => field !== 'note' && field !== 'key')

/** Rows of a site in the order of their ids, a stretch at a time. */
export function allRedirects(
  db: Database,
  siteId: string,
  { after, limit }: { after: string | null; limit: number },
  transaction: Transaction,
): Promise<(Omit<RedirectFields, 'note' | 'key'> & { id: string; version: number; place: number })[]> {
  return rows(
    db,
    `SELECT ${selected(redirects, ['id', ...REVIEWED, 'place', 'version'])} FROM redirects WHERE site_id = $1 AND removed_at IS NULL AND ($2::uuid IS NULL OR id > $2) ORDER BY id LIMIT $3`,
    [siteId, after, limit],
    transaction,
  )
}

/** Live pages with what stands in them, one after the other. */
export async function* livePageContents(db: Database, siteId: string): AsyncGenerator<{ path: string; encoding: string; bytes: Buffer }> {
  for (let after: string | null = null; ; ) {
    const found: { id: string; path: string; encoding: string; bytes: Buffer }[] = await rows(
      db,
      `SELECT p.id, p.path, coalesce(p.live_encoding, p.encoding) AS encoding, b.bytes FROM pages p JOIN blobs b ON b.hash = p.live_hash
       WHERE p.site_id = $1 AND p.kind = 'page' AND ($2::uuid IS NULL OR p.id > $2) ORDER BY p.id LIMIT 50`,
      [siteId, after],
    )
    yield* found
    after = found[found.length - 1]?.id ?? null
    if (after === null) return
  }
}
