import { type Database, rows, type Transaction } from './database.ts'
import { IS_THERE, isNot, NEXT, selectOne, update } from './plain.ts'
import { holdSite } from './sites.ts'
import { type HostRow, hosts, selected } from './tables/index.ts'

const LISTED = ['id', 'siteId', 'host', 'kind', 'prefix', 'isMain', 'origin', 'missingTo', 'version'] as const
export type ListedHost = Pick<HostRow, (typeof LISTED)[number]>
const COLUMNS = selected(hosts, LISTED)

/** The hosts a site answers on: pages first, then short links, then front doors. */
export function listHosts(db: Database, siteId: string, transaction?: Transaction): Promise<ListedHost[]> {
  return rows<ListedHost>(
    db,
    `SELECT ${COLUMNS} FROM hosts WHERE site_id = $1 AND removed_at IS NULL
     ORDER BY array_position(ARRAY['site', 'short', 'door'], kind), is_main DESC, host`,
    [siteId],
    transaction,
  )
}

/** @returns null when somebody answers on that name already */
export async function insertHost(
  db: Database,
  host: Pick<HostRow, 'siteId' | 'host' | 'kind' | 'prefix' | 'origin'>,
  transaction: Transaction,
): Promise<ListedHost | null> {
  const [made] = await rows<ListedHost>(
    db,
    `INSERT INTO hosts (site_id, host, kind, prefix, origin, is_main)
     VALUES ($1, $2, $3, $4, $5, $3 <> 'door' AND NOT EXISTS (SELECT 1 FROM hosts WHERE site_id = $1 AND kind = $3 AND is_main AND removed_at IS NULL))
     ON CONFLICT DO NOTHING RETURNING ${COLUMNS}`,
    [host.siteId, host.host, host.kind, host.prefix, host.origin],
    transaction,
  )
  return made ?? null
}

/** Changes a host on top of a version. @returns null when that is not the newest, or the name is another's */
export async function updateHost(
  db: Database,
  {
    siteId,
    id,
    version,
    host,
    prefix,
    isMain,
    missingTo,
  }: Pick<ListedHost, 'siteId' | 'id' | 'version' | 'host' | 'prefix' | 'isMain' | 'missingTo'>,
  transaction: Transaction,
): Promise<ListedHost | null> {
  const [changed] = await rows<ListedHost>(
    db,
    `UPDATE hosts SET host = $4, prefix = $5,
       old_prefixes = ARRAY(SELECT DISTINCT p FROM unnest(old_prefixes || prefix) p WHERE p <> $5), is_main = $6, missing_to = $7, version = version + 1, updated_at = now()
     WHERE site_id = $1 AND id = $2 AND version = $3 AND removed_at IS NULL
       AND NOT EXISTS (SELECT 1 FROM hosts o WHERE o.host = $4 AND o.id <> $2 AND o.removed_at IS NULL) RETURNING ${COLUMNS}`,
    [siteId, id, version, host, prefix, isMain, missingTo],
    transaction,
  )
  if (changed !== undefined && isMain)
    await update(db, hosts, { isMain: false, version: NEXT }, { siteId, kind: changed.kind, id: isNot(id), isMain: true }, transaction)
  return changed ?? null
}

/** Takes a host away; where it was the main one of its kind, the next by name is. */
export async function withdrawHost(db: Database, siteId: string, id: string, transaction: Transaction): Promise<ListedHost | null> {
  // Of two who take one away each, the second sees what the first left.
  await holdSite(db, siteId, transaction)
  const [gone] = await rows<ListedHost>(
    db,
    `UPDATE hosts SET removed_at = now(), is_main = false, version = version + 1 WHERE site_id = $1 AND id = $2 AND removed_at IS NULL RETURNING ${COLUMNS}`,
    [siteId, id],
    transaction,
  )
  if (gone === undefined) return null
  await rows(
    db,
    `UPDATE hosts SET is_main = true, version = version + 1 WHERE id = (SELECT id FROM hosts WHERE site_id = $1 AND kind = $2 AND kind <> 'door' AND removed_at IS NULL ORDER BY host LIMIT 1)
       AND NOT EXISTS (SELECT 1 FROM hosts WHERE site_id = $1 AND kind = $2 AND is_main AND removed_at IS NULL)`,
    [siteId, gone.kind],
    transaction,
  )
  return gone
}

/** The host of this name and kind that was taken away last; null where there is none. */
export async function goneHost(
  db: Database,
  { siteId, host, kind }: Pick<HostRow, 'siteId' | 'host' | 'kind'>,
  transaction: Transaction,
): Promise<string | null> {
  const order = [['removedAt', 'DESC']] as const
  const gone = await selectOne(db, hosts, ['id'], { siteId, host, kind, removedAt: IS_THERE }, { order, transaction })
  return gone?.id ?? null
}

/** Brings a host back, with the short links it had. @returns null when it is not gone; false when its name is another's by now */
export async function returnHost(db: Database, siteId: string, id: string, transaction: Transaction): Promise<ListedHost | false | null> {
  const [gone] = await rows<{ isTaken: boolean }>(
    db,
    `SELECT EXISTS (SELECT 1 FROM hosts o WHERE o.host = h.host AND o.removed_at IS NULL) AS "isTaken" FROM hosts h
     WHERE h.site_id = $1 AND h.id = $2 AND h.removed_at IS NOT NULL FOR UPDATE`,
    [siteId, id],
    transaction,
  )
  if (gone === undefined) return null
  if (gone.isTaken) return false
  const [back] = await rows<ListedHost>(
    db,
    `UPDATE hosts h SET removed_at = NULL, version = version + 1,
       is_main = kind <> 'door' AND NOT EXISTS (SELECT 1 FROM hosts o WHERE o.site_id = h.site_id AND o.kind = h.kind AND o.is_main AND o.removed_at IS NULL)
     WHERE id = $1 RETURNING ${COLUMNS}`,
    [id],
    transaction,
  )
  return back ?? null
}

/** What stands on a host, and what names it. @param names - the host as links write it: "//host" and "//host:port" */
export async function usesOfHost(
  db: Database,
  { siteId, id, kind }: Pick<HostRow, 'siteId' | 'id' | 'kind'>,
  names: readonly string[],
): Promise<{ shortLinks: number; clicks: number; pages: number; links: number; linkPages: number }> {
  const [short] = await rows<{ shortLinks: number; clicks: number }>(
    db,
    `SELECT count(DISTINCT l.id)::int AS "shortLinks", coalesce(sum((SELECT sum(r.clicks) FROM click_rollups r WHERE r.short_link_id = l.id AND r.visit = 'person')), 0)::int AS clicks
     FROM short_links l JOIN short_link_slugs s ON s.short_link_id = l.id AND s.is_main WHERE l.host_id = $1`,
    [id],
  )
  const [pages] = await rows<{ pages: number }>(
    db,
    `SELECT count(*)::int AS pages FROM pages WHERE site_id = $1 AND kind = 'page' AND live_hash IS NOT NULL AND $2`,
    [siteId, kind === 'site'],
  )
  const [named] = await rows<{ links: number; linkPages: number }>(
    db,
    `SELECT count(*)::int AS links, count(DISTINCT l.page_id)::int AS "linkPages" FROM placements l JOIN pages p ON p.id = l.page_id
     WHERE p.site_id = $1 AND p.removed_at IS NULL AND EXISTS (SELECT 1 FROM unnest($2::text[]) AS name
       WHERE lower(regexp_replace(l.href, '^https?:', '', 'i')) = name OR starts_with(lower(regexp_replace(l.href, '^https?:', '', 'i')), name || '/'))`,
    [siteId, names],
  )
  return {
    shortLinks: short?.shortLinks ?? 0,
    clicks: short?.clicks ?? 0,
    pages: pages?.pages ?? 0,
    links: named?.links ?? 0,
    linkPages: named?.linkPages ?? 0,
  }
}
