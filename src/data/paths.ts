import { type Database, rows } from './database.ts'

/** Every path that a page or file of the site has. */
export async function ownPaths(db: Database, siteId: string): Promise<Set<string>> {
  const found = await rows<{ path: string }>(
    db,
    `SELECT path FROM pages WHERE site_id = $1 AND kind = 'page' AND removed_at IS NULL UNION SELECT path FROM files WHERE site_id = $1 AND removed_at IS NULL`,
    [siteId],
  )
  return new Set(found.map(({ path }) => path))
}

/** Whether a page or file of the site is at one of these paths, published or not. */
export async function isOwnPath(db: Database, siteId: string, paths: readonly string[]): Promise<boolean> {
  const [found] = await rows<{ is: boolean }>(
    db,
    `SELECT EXISTS (SELECT FROM pages WHERE site_id = $1 AND kind = 'page' AND path = ANY($2::text[]) AND removed_at IS NULL)
       OR EXISTS (SELECT FROM files WHERE site_id = $1 AND path = ANY($2::text[]) AND removed_at IS NULL) AS is`,
    [siteId, paths],
  )
  return found?.is === true
}

/** The paths of some pages and files, gone ones too, and whether there is a page or file at each now. What was deleted is left out. */
export function pathsOf(db: Database, siteId: string, ids: readonly string[]): Promise<{ id: string; path: string; isHere: boolean }[]> {
  return rows(
    db,
    `SELECT w.id, w.path, EXISTS (SELECT FROM pages p WHERE p.site_id = $1 AND p.kind = 'page' AND p.path = w.path AND p.removed_at IS NULL)
         OR EXISTS (SELECT FROM files f WHERE f.site_id = $1 AND f.path = w.path AND f.removed_at IS NULL) AS "isHere"
     FROM (SELECT id, path FROM pages WHERE site_id = $1 AND id = ANY($2::uuid[])
           UNION ALL SELECT id, path FROM files WHERE site_id = $1 AND id = ANY($2::uuid[])) w`,
    [siteId, ids],
  )
}
