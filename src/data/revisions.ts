import { type Database, rows, type Transaction } from './database.ts'

/** A version of a page, block or menu. */
export interface RevisionRow {
  readonly version: number
  readonly hash: string
  readonly encoding: string
  readonly title: string
  readonly madeBy: string
  readonly by: string | null
  readonly at: Date
  /** What readers see now. */
  readonly isLive: boolean
}

/** Edits of one person this close together are one revision: nobody wants to go back to half a word. */
const ONE_REVISION_MINUTES = 5

/** Keeps the drafts of pages as they are now in their histories. @param madeBy - by what they came about: "edit", "import" … */
export async function keepRevisions(
  db: Database,
  pageIds: readonly string[],
  { madeBy, personId, step = null }: { madeBy: string; personId: string | null; step?: string | null },
  transaction: Transaction,
): Promise<void> {
  await rows(
    db,
    `INSERT INTO page_revisions (page_id, version, hash, encoding, title, made_by, person_id, step_id)
     SELECT id, version, draft_hash, encoding, title, $2, $3, $4 FROM pages WHERE id = ANY($1::uuid[])`,
    [pageIds, madeBy, personId, step],
    transaction,
  )
}

/** Takes out the revision before this one, when the same person made it a moment ago and nothing else points to it. */
export async function dropHalfWay(db: Database, pageId: string, before: number, personId: string, transaction: Transaction): Promise<void> {
  await rows(
    db,
    `DELETE FROM page_revisions r USING pages p WHERE r.page_id = $1 AND r.version = $2 AND p.id = $1 AND r.made_by = 'edit' AND r.person_id = $3
       AND r.hash IS DISTINCT FROM p.live_hash AND r.created_at > now() - make_interval(mins => $4)
       AND EXISTS (SELECT 1 FROM page_revisions o WHERE o.page_id = $1 AND o.version < $2 AND o.person_id = $3 AND o.created_at > now() - make_interval(mins => $4))`,
    [pageId, before, personId, ONE_REVISION_MINUTES],
    transaction,
  )
}

/** Versions, newest first. */
export function listRevisions(db: Database, pageId: string, version: number | null, limit: number): Promise<RevisionRow[]> {
  return rows<RevisionRow>(
    db,
    `SELECT r.version, r.hash, r.encoding, r.title, r.made_by AS "madeBy", (SELECT name FROM people WHERE people.id = r.person_id) AS by, r.created_at AS at,
       r.hash = p.live_hash AS "isLive" FROM page_revisions r JOIN pages p ON p.id = r.page_id
     WHERE r.page_id = $1 AND ($2::int IS NULL OR r.version = $2) ORDER BY r.version DESC LIMIT $3`,
    [pageId, version, limit],
  )
}
