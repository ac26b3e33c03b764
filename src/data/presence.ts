import { type Database, rows } from './database.ts'
import { ago, isBefore, remove } from './plain.ts'
import { presence } from './tables/index.ts'

/** Somebody who has not signed for this long has gone. Tabs sign every ten seconds. */
const SEEN_SECONDS = 25

/** Signs for one tab and tells who else has the page open: one row a person, the own other tabs included. */
export async function signPresence(
  db: Database,
  { pageId, tab, personId, isLeaving }: { pageId: string; tab: string; personId: string; isLeaving: boolean },
): Promise<{ name: string; personId: string }[]> {
  if (isLeaving) await remove(db, presence, { pageId, tab })
  else
    await rows(
      db,
      'INSERT INTO presence (page_id, tab, person_id) VALUES ($1, $2, $3) ON CONFLICT (page_id, tab) DO UPDATE SET seen_at = now(), person_id = $3',
      [pageId, tab, personId],
    )
  await remove(db, presence, { seenAt: isBefore(ago(4 * SEEN_SECONDS, 'seconds')) })
  return rows(
    db,
    `SELECT DISTINCT p.name, p.id AS "personId" FROM presence s JOIN people p ON p.id = s.person_id
     WHERE s.page_id = $1 AND s.tab <> $2 AND s.seen_at > now() - make_interval(secs => $3) ORDER BY p.name`,
    [pageId, tab, SEEN_SECONDS],
  )
}
