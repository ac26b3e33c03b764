import { type Database, rows } from './database.ts'

/** A page or file that can be linked to. */
export interface DestinationRow {
  readonly id: string
  readonly kind: 'inside page' | 'file'
  readonly path: string
  readonly title: string
  readonly at: Date
  readonly isGone: boolean
}

/** Pages and files of a site, gone ones too. @param ids - null for all */
export function listDestinations(db: Database, siteId: string, ids: readonly string[] | null): Promise<DestinationRow[]> {
  return rows<DestinationRow>(
    db,
    `SELECT id, 'inside page' AS kind, path, title, draft_at AS at, removed_at IS NOT NULL AS "isGone" FROM pages
       WHERE site_id = $1 AND kind = 'page' AND ($2::uuid[] IS NULL OR id = ANY($2::uuid[]))
     UNION ALL SELECT id, 'file', path, path, updated_at, removed_at IS NOT NULL FROM files
       WHERE site_id = $1 AND ($2::uuid[] IS NULL OR id = ANY($2::uuid[]))`,
    [siteId, ids],
  )
}

/** The addresses on an outside site that pages lead to most. @param domain - with all names below it */
export async function addressesOn(db: Database, siteId: string, domain: string, limit: number): Promise<string[]> {
  const used = await rows<{ href: string }>(
    db,
    `SELECT l.href FROM placements l JOIN pages p ON p.id = l.page_id WHERE p.site_id = $1 AND l.href ~* $2
     GROUP BY l.href ORDER BY count(*) DESC LIMIT $3`,
    [siteId, `^https?://([^/?#]*[.])?${domain.replace(/[^a-z0-9-]/gi, '[$&]')}([:/?#]|$)`, limit],
  )
  return used.map(({ href }) => href)
}
