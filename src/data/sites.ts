import type { Transaction } from 'sequelize'
import { RuleList } from '../contract/rules.ts'
import type { SiteSetup } from '../core/rules/index.ts'
import { type Database, rows } from './database.ts'

/** @returns null when there is no such site */
export async function readSiteSetup(db: Database, siteId: string, transaction?: Transaction): Promise<SiteSetup | null> {
  const [site] = await rows<{ name: string; mayVisitPrivate: boolean; downloadsFiles: boolean }>(
    db,
    'SELECT name, may_visit_private AS "mayVisitPrivate", downloads_files AS "downloadsFiles" FROM sites WHERE id = $1',
    [siteId],
    transaction,
  )
  if (site === undefined) return null
  const hosts = await rows<SiteSetup['hosts'][number]>(
    db,
    `SELECT id, host, kind, prefix, origin FROM hosts WHERE site_id = $1 ORDER BY is_main DESC, host`,
    [siteId],
    transaction,
  )
  const partners = await rows<SiteSetup['partners'][number]>(
    db,
    `SELECT id, name, sites, link_template AS template, account FROM partners WHERE site_id = $1 ORDER BY name`,
    [siteId],
    transaction,
  )
  const [rules] = await rows<{ list: unknown }>(
    db,
    'SELECT list FROM rules WHERE site_id = $1 ORDER BY version DESC LIMIT 1',
    [siteId],
    transaction,
  )
  const shortLinks = await rows<SiteSetup['shortLinks'][number]>(
    db,
    `SELECT l.id, h.host, h.prefix, s.slug, l.destination, l.title, l.status FROM short_link_slugs s JOIN short_links l ON l.id = s.short_link_id
     JOIN hosts h ON h.id = s.host_id WHERE l.site_id = $1`,
    [siteId],
    transaction,
  )
  return {
    siteId,
    name: site.name,
    mayVisitPrivate: site.mayVisitPrivate,
    downloadsFiles: site.downloadsFiles,
    hosts,
    partners,
    rules: RuleList.shape.rules.parse(rules?.list ?? []),
    shortLinks,
  }
}

/** The number delivery and caches compare: counted up by every change that visitors could see. */
export async function snapshotVersion(db: Database, transaction?: Transaction): Promise<number> {
  const [row] = await rows<{ version: string }>(db, 'SELECT version FROM snapshot_state', [], transaction)
  return Number(row?.version ?? 0)
}

export async function siteIds(db: Database, transaction?: Transaction): Promise<string[]> {
  return (await rows<{ id: string }>(db, 'SELECT id FROM sites ORDER BY created_at', [], transaction)).map(({ id }) => id)
}
