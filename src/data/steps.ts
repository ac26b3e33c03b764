import type { StepKind } from '../contract/steps.ts'
import { type Database, rows, type Transaction } from './database.ts'
import { broughtBy } from './imported-pages.ts'
import { count } from './plain.ts'
import { columnsOf, SHORT_LINK_SAYS, setFrom, shortLinkSteps, shortLinks } from './tables/index.ts'

/** A step as it is listed; what belongs to its kind alone stands in `facts`. */
export interface StepRow {
  readonly kind: StepKind
  readonly id: string
  readonly at: Date
  /** The same to the microsecond, as the database writes it: where the list goes on from. */
  readonly moment: string
  readonly by: string | null
  readonly isUndone: boolean
  readonly facts: Readonly<Record<string, unknown>>
}

/** Things of one step that are counted no further. */
const COUNTED_MAX = 100_000
const counted = (from: string): string => `(SELECT count(*)::int FROM (SELECT 1 FROM ${from} LIMIT ${COUNTED_MAX}) AS c)`

/** A version of the rules has no id of its own: it is made of the site's and its number. */
const RULE_STEPS = `(SELECT overlay(overlay(md5(site_id::text || ' rules ' || version) placing '4' from 13 for 1) placing '8' from 17 for 1)::uuid AS id, * FROM rules WHERE site_id = $1) s`

/** The version of the rules that a step saved; null where there is none, or it was taken back. */
export async function versionOfStep(db: Database, siteId: string, id: string): Promise<number | null> {
  const [found] = await rows<{ version: number }>(db, `SELECT s.version FROM ${RULE_STEPS} WHERE s.id = $2 AND s.undone_at IS NULL`, [
    siteId,
    id,
  ])
  return found?.version ?? null
}

/** Of each kind: its table with an alias, what says which step it is and when, whether it can still be taken back, and its own facts. */
const SOURCES: Readonly<
  Record<
    StepKind,
    {
      readonly from: string
      readonly at: string
      readonly undone: string
      readonly where: string
      readonly facts: string
    }
  >
> = {
  links: {
    from: 'bulk_changes s',
    at: 's.created_at',
    undone: 's.undone_at IS NOT NULL',
    // One that is part of a larger step is taken back with that, and not alone.
    where: 'NOT EXISTS (SELECT FROM partner_moves m WHERE m.bulk_change_id = s.id)',
    facts: `jsonb_build_object('change', s.change, 'links', s.links, 'pages', (SELECT count(*)::int FROM bulk_change_pages b WHERE b.bulk_change_id = s.id))`,
  },
  'short-links': {
    from: 'short_link_steps s',
    at: 's.at',
    undone: 's.undone_at IS NOT NULL',
    where: 'true',
    facts: `jsonb_build_object('what', s.what, 'links', jsonb_array_length(s.links) + ${counted('short_link_changes v WHERE v.step_id = s.id')})`,
  },
  redirects: {
    from: 'redirect_steps s',
    at: 's.at',
    undone: 's.undone_at IS NOT NULL',
    where: `NOT EXISTS (SELECT FROM partner_moves m WHERE m.redirect_step_id = s.id) AND EXISTS (SELECT FROM redirect_versions v WHERE v.step_id = s.id)`,
    facts: `jsonb_build_object('what', s.what, 'rows', ${counted('redirect_versions v WHERE v.step_id = s.id')})`,
  },
  partners: {
    from: 'partner_moves s',
    at: 's.at',
    undone: 's.undone_at IS NOT NULL',
    where: 'true',
    facts: `jsonb_build_object('partner', coalesce((SELECT name FROM partners p WHERE p.id = s.partner_id), ''), 'mended', s.mended, 'placements', coalesce((SELECT links FROM bulk_changes b WHERE b.id = s.bulk_change_id), 0),
      'shortLinks', jsonb_array_length(s.short_links), 'redirects', ${counted('redirect_versions v WHERE v.step_id = s.redirect_step_id')})`,
  },
  phrases: {
    // Those that were added together have one moment, and the least of their ids stands for them.
    from: `(SELECT min(id::text)::uuid AS id, site_id, created_at, min(destination) AS destination, count(*)::int AS phrases, person_id FROM phrases WHERE site_id = $1 GROUP BY site_id, created_at, person_id) s`,
    at: 's.created_at',
    undone: 'false',
    where: 'true',
    facts: `jsonb_build_object('destination', s.destination, 'phrases', s.phrases)`,
  },
  rules: {
    from: RULE_STEPS,
    at: 's.created_at',
    undone: 's.undone_at IS NOT NULL',
    where: 'true',
    facts: `jsonb_build_object('version', s.version, 'rules', jsonb_array_length(s.list))`,
  },
  earnings: {
    from: 'reports s',
    at: 's.at',
    undone: 's.undone_at IS NOT NULL',
    where: 'true',
    facts: `jsonb_build_object('partner', coalesce((SELECT name FROM partners p WHERE p.id = s.partner_id), ''), 'name', s.name, 'lines', s.made + s.changed)`,
  },
  imports: {
    from: 'jobs s',
    at: 's.created_at',
    undone: 's.undone_at IS NOT NULL',
    where: `s.kind = 'import' AND s.state = 'done' AND ${broughtBy('s.id')}`,
    facts: `jsonb_build_object('name', coalesce(s.input->>'name', ''), 'pages', ${counted('page_revisions v WHERE v.step_id = s.id')},
      'files', ${counted('file_revisions v WHERE v.step_id = s.id')})`,
  },
}

/** The newest steps of some kinds. @param after - the last one that was seen */
export function listAllSteps(
  db: Database,
  siteId: string,
  { kinds, after, limit }: { kinds: readonly StepKind[]; after: { readonly at: string; readonly id: string } | null; limit: number },
): Promise<StepRow[]> {
  const each = kinds.map((kind) => {
    const { from, at, undone, where, facts } = SOURCES[kind]
    return `(SELECT '${kind}' AS kind, s.id, ${at} AS at, s.person_id, ${undone} AS undone, ${facts} AS facts FROM ${from}
      WHERE s.site_id = $1 AND (${where}) AND ($2::timestamptz IS NULL OR (${at}, s.id) < ($2, $3::uuid)) ORDER BY ${at} DESC, s.id DESC LIMIT $4)`
  })
  return rows<StepRow>(
    db,
    `SELECT t.kind, t.id, t.at, t.at::text AS moment, (SELECT name FROM people WHERE people.id = t.person_id) AS by, t.undone AS "isUndone", t.facts
     FROM (${each.join(' UNION ALL ')}) t ORDER BY t.at DESC, t.id DESC LIMIT $4`,
    [siteId, after?.at ?? null, after?.id ?? null, limit],
  )
}

/** The step that a bulk change or a step of redirects is part of; null where it stands for itself. */
export async function moveOfPart(db: Database, siteId: string, part: string): Promise<string | null> {
  const [move] = await rows<{ id: string }>(
    db,
    'SELECT id FROM partner_moves WHERE site_id = $1 AND (bulk_change_id = $2 OR redirect_step_id = $2)',
    [siteId, part],
  )
  return move?.id ?? null
}

/** Whether a step of short links came of a list: its versions name it. */
export async function isListStep(db: Database, siteId: string, id: string): Promise<boolean> {
  return (await count(db, shortLinkSteps, { siteId, id, what: 'list' })) === 1
}

/** Notes that a list is being taken in, once. */
export const beginListStep = (
  db: Database,
  { id, siteId, personId }: { id: string; siteId: string; personId: string | null },
  transaction: Transaction,
): Promise<unknown> =>
  rows(
    db,
    `INSERT INTO short_link_steps (id, site_id, person_id, what, links) VALUES ($1, $2, $3, 'list', '[]') ON CONFLICT (id) DO NOTHING`,
    [id, siteId, personId],
    transaction,
  )

/**
 * Marks a list or an import as taken back.
 * @param job - that takes it back: one that ended in the middle of it and begins anew finds its own mark
 * @returns false where it is not there, or was taken back before
 */
export async function markTakenBack(
  db: Database,
  siteId: string,
  { kind, id, job }: { kind: 'short-links' | 'imports'; id: string; job: string },
  transaction: Transaction,
): Promise<boolean> {
  const [table, isOne] =
    kind === 'imports'
      ? ['jobs', "t.kind = 'import' AND t.state IN ('done', 'failed', 'cancelled')"]
      : ['short_link_steps', "t.what = 'list'"]
  const marked = await rows(
    db,
    `UPDATE ${table} t SET undone_at = coalesce(t.undone_at, now()) WHERE t.site_id = $1 AND t.id = $2 AND ${isOne}
       AND (t.undone_at IS NULL OR t.undone_at > (SELECT j.created_at FROM jobs j WHERE j.id = $3)) RETURNING t.id`,
    [siteId, id, job],
    transaction,
  )
  return marked.length === 1
}

/** A stretch of what is taken back: what was looked at, in order, and what of it is as it was before. */
export interface TakenBack {
  readonly seen: readonly string[]
  readonly changed: readonly string[]
  readonly removed: readonly string[]
}

/** Gives short links of a list back what they said before it, and takes away those it made, as far as nobody changed them since. */
export async function takeListBack(
  db: Database,
  { siteId, personId }: { siteId: string; personId: string | null },
  { step, after, limit }: { step: string; after: string | null; limit: number },
  transaction: Transaction,
): Promise<TakenBack> {
  const seen = await idsAfter(db, 'short_link_changes', 'short_link_id', { step, after, limit }, transaction)
  const changed = await rows<{ id: string }>(
    db,
    `WITH stepped AS (SELECT short_link_id, min(version) AS first, max(version) AS last FROM short_link_changes WHERE step_id = $3 AND short_link_id = ANY($4::uuid[]) GROUP BY short_link_id),
       back AS (UPDATE short_links l SET ${setFrom(shortLinks, SHORT_LINK_SAYS, 'b')}, version = l.version + 1, updated_at = now()
         FROM stepped s JOIN short_link_changes b ON b.short_link_id = s.short_link_id AND b.version = s.first - 1
         WHERE l.id = s.short_link_id AND l.site_id = $1 AND l.version = s.last AND l.removed_slugs IS NULL
         RETURNING l.id, l.version, ${columnsOf(shortLinks, SHORT_LINK_SAYS, 'l')})
     INSERT INTO short_link_changes (short_link_id, version, ${columnsOf(shortLinks, SHORT_LINK_SAYS)}, person_id)
       SELECT id, version, ${columnsOf(shortLinks, SHORT_LINK_SAYS)}, $2 FROM back RETURNING short_link_id AS id`,
    [siteId, personId, step, seen],
    transaction,
  )
  const removed = await rows<{ id: string }>(
    db,
    `WITH made AS (SELECT l.id, l.host_id FROM short_links l JOIN short_link_changes v ON v.short_link_id = l.id AND v.version = 1 AND v.step_id = $2
         WHERE l.id = ANY($3::uuid[]) AND l.site_id = $1 AND l.removed_slugs IS NULL
           AND l.version = (SELECT max(version) FROM short_link_changes m WHERE m.short_link_id = l.id AND m.step_id = $2)),
       gone AS (DELETE FROM short_link_slugs s USING made WHERE s.short_link_id = made.id RETURNING s.short_link_id, s.slug, s.is_main, s.host_id)
     UPDATE short_links l SET updated_at = now(),
       removed_slugs = (SELECT array_agg(slug ORDER BY is_main DESC, slug) FROM gone g WHERE g.short_link_id = l.id AND g.host_id = l.host_id),
       removed_elsewhere = (SELECT coalesce(jsonb_agg(jsonb_build_object('hostId', host_id, 'slug', slug)), '[]') FROM gone g WHERE g.short_link_id = l.id AND g.host_id <> l.host_id)
     FROM made WHERE l.id = made.id RETURNING l.id`,
    [siteId, step, seen],
    transaction,
  )
  return { seen, changed: changed.map(({ id }) => id), removed: removed.map(({ id }) => id) }
}

/**
 * Gives files of an import back what they were before it, and takes away those it brought, as far as they are still as it left them.
 * @returns what was looked at, in order, and what of it is as it was before
 */
export async function takeFilesBack(
  db: Database,
  { siteId, personId }: { readonly siteId: string; readonly personId: string | null },
  { step, after, limit }: { readonly step: string; readonly after: string | null; readonly limit: number },
  transaction: Transaction,
): Promise<TakenBack> {
  const seen = await idsAfter(db, 'file_revisions', 'file_id', { step, after, limit }, transaction)
  const given = await rows<{ id: string; isGone: boolean }>(
    db,
    `WITH standing AS (
       SELECT f.id, (SELECT max(b.version) FROM file_revisions b WHERE b.file_id = f.id AND b.version < v.version) AS before
       FROM files f JOIN file_revisions v ON v.file_id = f.id AND v.version = f.version AND v.step_id = $3
       WHERE f.site_id = $1 AND f.id = ANY($4::uuid[]) AND f.removed_at IS NULL FOR UPDATE OF f),
     back AS (
       UPDATE files f SET version = f.version + 1, updated_at = now(), removed_at = CASE WHEN b.file_id IS NULL THEN now() END,
         draft_hash = coalesce(b.hash, f.draft_hash), media_type = coalesce(b.media_type, f.media_type), bytes = coalesce(b.bytes, f.bytes)
       FROM standing s LEFT JOIN file_revisions b ON b.file_id = s.id AND b.version = s.before
       WHERE f.id = s.id RETURNING f.id, f.version, f.draft_hash, f.media_type, f.bytes, f.removed_at IS NOT NULL AS gone),
     kept AS (
       INSERT INTO file_revisions (file_id, version, hash, media_type, bytes, person_id)
       SELECT id, version, draft_hash, media_type, bytes, $2 FROM back WHERE NOT gone)
     SELECT id, gone AS "isGone" FROM back`,
    [siteId, personId, step, seen],
    transaction,
  )
  const idsOf = (isGone: boolean): string[] => given.filter((each) => each.isGone === isGone).map(({ id }) => id)
  return { seen, changed: idsOf(false), removed: idsOf(true) }
}

/** The pages of an import, a stretch at a time. */
export const importedPages = (
  db: Database,
  stretch: { step: string; after: string | null; limit: number },
  transaction: Transaction,
): Promise<string[]> => idsAfter(db, 'page_revisions', 'page_id', stretch, transaction)

/** Of pages that are still as an import left them: the version before it, by page; those that it made have none. */
export async function beforeImport(
  db: Database,
  siteId: string,
  { step, pageIds }: { step: string; pageIds: readonly string[] },
  transaction: Transaction,
): Promise<{ id: string; version: number; before: number | null }[]> {
  return rows(
    db,
    `SELECT p.id, p.version, (SELECT max(b.version) FROM page_revisions b WHERE b.page_id = p.id AND b.version < v.version) AS before
     FROM pages p JOIN page_revisions v ON v.page_id = p.id AND v.version = p.version AND v.step_id = $2
     WHERE p.site_id = $1 AND p.id = ANY($3::uuid[]) AND p.removed_at IS NULL FOR UPDATE OF p`,
    [siteId, step, pageIds],
    transaction,
  )
}

async function idsAfter(
  db: Database,
  table: 'short_link_changes' | 'page_revisions' | 'file_revisions',
  column: 'short_link_id' | 'page_id' | 'file_id',
  { step, after, limit }: { step: string; after: string | null; limit: number },
  transaction: Transaction,
): Promise<string[]> {
  const found = await rows<{ id: string }>(
    db,
    `SELECT DISTINCT ${column} AS id FROM ${table} WHERE step_id = $1 AND ($2::uuid IS NULL OR ${column} > $2) ORDER BY ${column} LIMIT $3`,
    [step, after, limit],
    transaction,
  )
  return found.map(({ id }) => id)
}

/** Takes away the phrases that were added together with one. @returns their ids */
export async function removePhrasesWith(db: Database, siteId: string, id: string, transaction: Transaction): Promise<string[]> {
  const gone = await rows<{ id: string }>(
    db,
    'DELETE FROM phrases WHERE site_id = $1 AND created_at = (SELECT created_at FROM phrases WHERE site_id = $1 AND id = $2) RETURNING id',
    [siteId, id],
    transaction,
  )
  return gone.map((each) => each.id)
}
