import { type Database, rows, type Transaction } from './database.ts'
import { ago, isAfter, NOW, remove, select, selectOne, update } from './plain.ts'
import { holdSite } from './sites.ts'
import { type PageKind, publicationItems, publications, selected } from './tables/index.ts'
import { FILE_DIFFERS, PAGE_DIFFERS } from './unpublished.ts'

async function newPublication(
  db: Database,
  siteId: string,
  personId: string | null,
  restored: number | null,
  transaction: Transaction,
): Promise<string> {
  await holdSite(db, siteId, transaction) // one publication after the other
  const [made] = await rows<{ id: string }>(
    db,
    `INSERT INTO publications (site_id, number, person_id, restored_number)
     SELECT $1, coalesce(max(number), 0) + 1, $2, $3 FROM publications WHERE site_id = $1 RETURNING id`,
    [siteId, personId, restored],
    transaction,
  )
  return made?.id ?? ''
}

/**
 * Makes drafts live, in one publication with its items; what is to go, goes. Files go along: a page without its pictures
 * is not the page.
 * @param pageIds - null for every page, block and menu
 * @returns null when nothing differed from the live site
 */
export async function publish(
  db: Database,
  siteId: string,
  pageIds: readonly string[] | null,
  personId: string | null,
  transaction: Transaction,
): Promise<string | null> {
  const id = await newPublication(db, siteId, personId, null, transaction)
  const items = await rows(
    db,
    `WITH due_pages AS (
       SELECT p.id, p.kind, p.path, p.title, p.live_hash, p.live_encoding, p.encoding, CASE WHEN p.removed_at IS NULL THEN p.draft_hash END AS next_hash
       FROM pages p WHERE p.site_id = $1 AND ${PAGE_DIFFERS} AND ($3::uuid[] IS NULL OR p.id = ANY($3::uuid[])) FOR UPDATE),
     due_files AS (
       SELECT f.id, f.path, f.live_hash, CASE WHEN f.removed_at IS NULL THEN f.draft_hash END AS next_hash
       FROM files f WHERE f.site_id = $1 AND ${FILE_DIFFERS} FOR UPDATE),
     pages_done AS (UPDATE pages SET live_hash = due_pages.next_hash, live_encoding = pages.encoding, live_at = now() FROM due_pages WHERE pages.id = due_pages.id),
     files_done AS (UPDATE files SET live_hash = due_files.next_hash FROM due_files WHERE files.id = due_files.id)
     INSERT INTO publication_items (publication_id, kind, path, title, from_hash, to_hash, from_encoding, encoding)
       SELECT $2::uuid, kind, path, title, live_hash, next_hash, live_encoding, encoding FROM due_pages
       UNION ALL SELECT $2::uuid, 'file', path, NULL, live_hash, next_hash, NULL, NULL FROM due_files RETURNING 1`,
    [siteId, id, pageIds],
    transaction,
  )
  if (items.length > 0) return id
  await remove(db, publications, { id }, transaction)
  return null
}

/**
 * Brings the live site back to what it was after publication `number`, as a publication of its own. A draft that was the
 * same as the live page goes back with it; one with work in it stays.
 * @returns null when nothing has changed since; else the publication, and the drafts that changed
 */
export async function restorePublication(
  db: Database,
  siteId: string,
  number: number,
  personId: string,
  transaction: Transaction,
): Promise<{ id: string; drafts: { id: string; hash: string; encoding: string; kind: PageKind; path: string; title: string }[] } | null> {
  const id = await newPublication(db, siteId, personId, number, transaction)
  const later = `later AS (
    SELECT DISTINCT ON (i.kind, i.path) i.kind, i.path, i.from_hash, i.from_encoding FROM publication_items i JOIN publications u ON u.id = i.publication_id
    WHERE u.site_id = $1 AND u.number > $2 AND u.id <> $3 ORDER BY i.kind, i.path, u.number)`
  const items = await rows(
    db,
    `WITH ${later}
     INSERT INTO publication_items (publication_id, kind, path, title, from_hash, to_hash, from_encoding, encoding)
       SELECT $3::uuid, p.kind, p.path, p.title, p.live_hash, later.from_hash, p.live_encoding, later.from_encoding
       FROM pages p JOIN later ON later.kind = p.kind AND later.path = p.path WHERE p.site_id = $1 AND p.live_hash IS DISTINCT FROM later.from_hash
       UNION ALL SELECT $3::uuid, 'file', f.path, NULL, f.live_hash, later.from_hash, NULL, NULL
       FROM files f JOIN later ON later.kind = 'file' AND later.path = f.path WHERE f.site_id = $1 AND f.live_hash IS DISTINCT FROM later.from_hash RETURNING 1`,
    [siteId, number, id],
    transaction,
  )
  if (items.length === 0) {
    await remove(db, publications, { id }, transaction)
    return null
  }
  const drafts = await rows<{ id: string; hash: string; encoding: string; kind: PageKind; path: string; title: string }>(
    db,
    `UPDATE pages p SET draft_hash = i.to_hash, encoding = coalesce(i.encoding, p.encoding), removed_at = NULL, version = p.version + 1, edited_by = $3,
       draft_at = now(), updated_at = now(), tags = b.tags, written_for = b.written_for
     FROM publication_items i JOIN blobs b ON b.hash = i.to_hash WHERE i.publication_id = $2 AND i.kind = p.kind AND i.path = p.path AND p.site_id = $1 AND i.to_hash IS NOT NULL
       AND (p.draft_hash = i.from_hash OR p.removed_at IS NOT NULL)
     RETURNING p.id, p.draft_hash AS hash, p.encoding, p.kind, p.path, p.title`,
    [siteId, id, personId],
    transaction,
  )
  await rows(
    db,
    `WITH gone AS (UPDATE pages p SET removed_at = now(), version = p.version + 1, updated_at = now() FROM publication_items i
       WHERE i.publication_id = $2 AND i.kind = p.kind AND i.path = p.path AND p.site_id = $1 AND i.to_hash IS NULL AND p.draft_hash = i.from_hash),
     pages_done AS (UPDATE pages p SET live_hash = i.to_hash, live_encoding = i.encoding, live_at = now() FROM publication_items i
       WHERE i.publication_id = $2 AND i.kind = p.kind AND i.path = p.path AND p.site_id = $1 AND (i.to_hash IS NOT NULL OR p.draft_hash IS DISTINCT FROM i.from_hash)),
     files_done AS (UPDATE files f SET live_hash = i.to_hash, draft_hash = CASE WHEN f.draft_hash = i.from_hash AND i.to_hash IS NOT NULL THEN i.to_hash ELSE f.draft_hash END,
       removed_at = CASE WHEN i.to_hash IS NULL THEN now() END, version = f.version + 1, updated_at = now()
       FROM publication_items i WHERE i.publication_id = $2 AND i.kind = 'file' AND i.path = f.path AND f.site_id = $1)
     SELECT 1`,
    [siteId, id],
    transaction,
  )
  // One statement cannot change a row twice: what went above is taken from the live site here.
  await rows(
    db,
    `UPDATE pages SET live_hash = NULL WHERE site_id = $1 AND removed_at IS NOT NULL AND path IN (SELECT path FROM publication_items WHERE publication_id = $2 AND to_hash IS NULL)`,
    [siteId, id],
    transaction,
  )
  await rows(
    db,
    `INSERT INTO page_revisions (page_id, version, hash, encoding, title, made_by, person_id)
     SELECT id, version, draft_hash, encoding, title, 'publication', $2 FROM pages WHERE id = ANY($1::uuid[])`,
    [drafts.map((draft) => draft.id), personId],
    transaction,
  )
  return { id, drafts }
}

/** The pages, blocks and menus, and the files, that a publication changed. */
export async function publishedBy(
  db: Database,
  siteId: string,
  publicationId: string,
  transaction: Transaction,
): Promise<{ pages: string[]; files: string[] }> {
  const found = await rows<{ kind: string; id: string }>(
    db,
    `SELECT i.kind, p.id FROM publication_items i JOIN pages p ON p.site_id = $1 AND p.kind = i.kind AND p.path = i.path WHERE i.publication_id = $2
     UNION ALL SELECT i.kind, f.id FROM publication_items i JOIN files f ON f.site_id = $1 AND f.path = i.path WHERE i.publication_id = $2 AND i.kind = 'file'`,
    [siteId, publicationId],
    transaction,
  )
  return {
    pages: found.flatMap(({ kind, id }) => (kind === 'file' ? [] : [id])),
    files: found.flatMap(({ kind, id }) => (kind === 'file' ? [id] : [])),
  }
}

export interface ListedPublication {
  readonly id: string
  readonly number: number
  readonly at: Date
  readonly by: string | null
  readonly pages: number
  readonly files: number
  readonly restored: number | null
  readonly check: unknown
}

export function listPublications(db: Database, siteId: string, id: string | null, limit: number): Promise<ListedPublication[]> {
  return rows<ListedPublication>(
    db,
    `SELECT u.id, u.number, u.created_at AS at, (SELECT name FROM people WHERE people.id = u.person_id) AS by,
       (SELECT count(*)::int FROM publication_items i WHERE i.publication_id = u.id AND kind <> 'file') AS pages,
       (SELECT count(*)::int FROM publication_items i WHERE i.publication_id = u.id AND kind = 'file') AS files,
       u.restored_number AS restored, u.checked AS check
     FROM publications u WHERE u.site_id = $1 AND ($2::uuid IS NULL OR u.id = $2) ORDER BY u.number DESC LIMIT $3`,
    [siteId, id, limit],
  )
}

/** What a publication changed. Hashes are null where there was, or is, nothing. */
export interface PublicationItemRow {
  readonly kind: PageKind | 'file'
  readonly path: string
  readonly title: string | null
  readonly fromHash: string | null
  readonly toHash: string | null
  readonly fromEncoding: string | null
  readonly encoding: string | null
}

export function itemsOfPublication(db: Database, id: string, limit: number): Promise<PublicationItemRow[]> {
  return rows<PublicationItemRow>(
    db,
    `SELECT ${selected(publicationItems, ['kind', 'path', 'title', 'fromHash', 'toHash', 'fromEncoding', 'encoding'])}
     FROM publication_items WHERE publication_id = $1 ORDER BY kind = 'file', path LIMIT $2`,
    [id, limit],
  )
}

export async function publicationSite(db: Database, id: string): Promise<string | null> {
  return (await selectOne(db, publications, ['siteId'], { id }))?.siteId ?? null
}

/** Publications of the last day that the live site was not asked for: whoever was to ask was not there. */
export async function uncheckedPublications(db: Database): Promise<string[]> {
  const late = { checked: null, createdAt: isAfter(ago(1, 'days')) }
  const found = await select(db, publications, ['id'], late, { order: [['createdAt', 'ASC']], limit: 20 })
  return found.map(({ id }) => id)
}

/** Writes down what the live site answered. */
export async function keepCheck(db: Database, id: string, check: object, transaction: Transaction): Promise<void> {
  await update(db, publications, { checked: check, checkedAt: NOW }, { id }, transaction)
}
