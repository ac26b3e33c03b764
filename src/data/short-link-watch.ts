import { type Database, rows, type Transaction } from './database.ts'

/**
 * Ends short links that have had all the clicks that they were to have.
 * @param ids - that were clicked
 * @returns those that are full now and were not
 */
export const fillShortLinks = (
  db: Database,
  ids: readonly string[],
  transaction: Transaction | undefined,
): Promise<{ id: string; siteId: string }[]> =>
  rows(
    db,
    `UPDATE short_links l SET full_at = now() WHERE l.id = ANY($1::uuid[]) AND l.course ? 'clickLimit' AND l.full_at IS NULL
       AND (SELECT coalesce(sum(r.clicks), 0) FROM click_rollups r WHERE r.short_link_id = l.id AND r.visit = 'person') >= (l.course->>'clickLimit')::bigint
     RETURNING l.id, l.site_id AS "siteId"`,
    [ids],
    transaction,
  )

/** Which of these short links have a limit of clicks that is not reached yet. */
export const limitedShortLinks = async (db: Database, ids: readonly string[]): Promise<string[]> =>
  (
    await rows<{ id: string }>(db, `SELECT id FROM short_links WHERE id = ANY($1::uuid[]) AND course ? 'clickLimit' AND full_at IS NULL`, [
      ids,
    ])
  ).map(({ id }) => id)

/** Short links with a fallback whose destinations were looked at longest ago. */
export const watchedShortLinks = (
  db: Database,
  olderThanSeconds: number,
  limit: number,
): Promise<{ id: string; siteId: string; destination: string }[]> =>
  rows(
    db,
    `SELECT l.id, l.site_id AS "siteId", l.destination FROM short_links l
     WHERE l.course ? 'fallback' AND l.removed_slugs IS NULL AND (l.looked_at IS NULL OR l.looked_at < now() - make_interval(secs => $1))
     ORDER BY l.looked_at NULLS FIRST LIMIT $2`,
    [olderThanSeconds, limit],
  )

/** Notes whether a destination answers. @returns whether that is news */
export async function noteWatched(
  db: Database,
  { id, destination, isDown }: { id: string; destination: string; isDown: boolean },
  transaction: Transaction | undefined,
): Promise<boolean> {
  const [was] = await rows<{ isNews: boolean }>(
    db,
    `UPDATE short_links l SET looked_at = now(), down_at = CASE WHEN $3 THEN coalesce(l.down_at, now()) END
     FROM (SELECT id, down_at FROM short_links WHERE id = $1 FOR UPDATE) was WHERE l.id = was.id AND l.destination = $2
     RETURNING (was.down_at IS NOT NULL) <> $3 AS "isNews"`,
    [id, destination, isDown],
    transaction,
  )
  return was?.isNews ?? false
}
