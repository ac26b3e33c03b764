import type { Transaction } from 'sequelize'
import { Disclosure } from '../contract/disclosure.ts'
import type { InsideAllowed } from '../core/address/index.ts'
import type { SiteSetup } from '../core/rules/index.ts'
import { type Database, rows } from './database.ts'
import { newestRules } from './rules.ts'

/** @returns null when there is no such site */
export async function readSiteSetup(db: Database, siteId: string, transaction?: Transaction): Promise<SiteSetup | null> {
  const [site] = await rows<{
    name: string
    language: string
    insideAllowed: InsideAllowed
    downloadsFiles: boolean
    ignoresCase: boolean
    ignoresSlash: boolean
    disclosure: unknown
    countsPages: boolean
    ledAway: NonNullable<SiteSetup['ledAway']>
  }>(
    db,
    `SELECT name, language, inside_allowed AS "insideAllowed", downloads_files AS "downloadsFiles", ignores_case AS "ignoresCase",
       ignores_slash AS "ignoresSlash", disclosure, counts_pages AS "countsPages", led_away AS "ledAway" FROM sites WHERE id = $1`,
    [siteId],
    transaction,
  )
  if (site === undefined) return null
  const hosts = await rows<SiteSetup['hosts'][number]>(
    db,
    `SELECT id, host, kind, prefix, old_prefixes AS "oldPrefixes", origin, missing_to AS "missingTo" FROM hosts WHERE site_id = $1 AND removed_at IS NULL ORDER BY is_main DESC, host`,
    [siteId],
    transaction,
  )
  const partners = await rows<SiteSetup['partners'][number]>(
    db,
    `SELECT id, name, sites, link_template AS template, account, allows, status = 'ended' AS "isEnded", is_paid AS "isPaid" FROM partners WHERE site_id = $1 ORDER BY name`,
    [siteId],
    transaction,
  )
  const { rules, partnersArePaid } = await newestRules(db, siteId, transaction)
  return {
    siteId,
    name: site.name,
    language: site.language,
    insideAllowed: site.insideAllowed,
    downloadsFiles: site.downloadsFiles,
    tolerance: { ignoresCase: site.ignoresCase, ignoresSlash: site.ignoresSlash },
    countsPages: site.countsPages,
    ledAway: site.ledAway,
    disclosure: Disclosure.parse(site.disclosure),
    hosts,
    partners,
    rules,
    partnersArePaid,
  }
}

export async function siteIds(db: Database, transaction?: Transaction): Promise<string[]> {
  return (await rows<{ id: string }>(db, 'SELECT id FROM sites ORDER BY created_at', [], transaction)).map(({ id }) => id)
}

/** What an installation is used for: nothing yet, the demo, real use; "waiting" when it was started for real use and has no owner. */
export async function inUseAs(db: Database): Promise<'empty' | 'waiting' | 'demo' | 'real'> {
  const [use] = await rows<{ sites: boolean; isDemo: boolean; isWaiting: boolean }>(
    db,
    'SELECT EXISTS (SELECT 1 FROM sites) AS sites, EXISTS (SELECT 1 FROM sites WHERE is_demo) AS "isDemo", EXISTS (SELECT 1 FROM set_up_code) AS "isWaiting"',
  )
  if (use?.sites === true) return use.isDemo ? 'demo' : 'real'
  return use?.isWaiting === true ? 'waiting' : 'empty'
}

/** Keeps the code with which an installation is set up; the one before it no longer works. */
export async function putSetUpCode(db: Database, hash: string): Promise<void> {
  await rows(
    db,
    'INSERT INTO set_up_code (code_hash) VALUES ($1) ON CONFLICT (only_row) DO UPDATE SET code_hash = $1, created_at = now()',
    [hash],
  )
}

export async function isSetUpCode(db: Database, hash: string): Promise<boolean> {
  return (await rows(db, 'SELECT 1 AS found FROM set_up_code WHERE code_hash = $1', [hash])).length === 1
}

/** Uses the code up, so that of two who come with it at once one is let in. */
export async function takeSetUpCode(db: Database, hash: string, transaction: Transaction): Promise<boolean> {
  return (await rows(db, 'DELETE FROM set_up_code WHERE code_hash = $1 RETURNING 1 AS gone', [hash], transaction)).length === 1
}

/** What people see of a site in Settings. */
export interface SiteFacts {
  readonly name: string
  readonly language: string
  readonly timeZone: string
  /** See `Tolerance`: how addresses are taken that are nearly those of a row of redirects. */
  readonly ignoresCase: boolean
  readonly ignoresSlash: boolean
  readonly insideAllowed: string[]
  readonly version: number
}

const FACTS =
  'name, language, time_zone AS "timeZone", ignores_case AS "ignoresCase", ignores_slash AS "ignoresSlash", inside_allowed AS "insideAllowed", version'

export async function readSite(db: Database, siteId: string): Promise<SiteFacts | null> {
  const [site] = await rows<SiteFacts>(db, `SELECT ${FACTS} FROM sites WHERE id = $1`, [siteId])
  return site ?? null
}

/** @returns null when the version is not the newest */
export async function updateSite(db: Database, siteId: string, next: SiteFacts, transaction: Transaction): Promise<SiteFacts | null> {
  const [site] = await rows<SiteFacts>(
    db,
    `UPDATE sites SET name = $3, language = $4, time_zone = $5, ignores_case = $6, ignores_slash = $7, inside_allowed = $8, version = version + 1, updated_at = now()
     WHERE id = $1 AND version = $2 RETURNING ${FACTS}`,
    [siteId, next.version, next.name, next.language, next.timeZone, next.ignoresCase, next.ignoresSlash, next.insideAllowed],
    transaction,
  )
  return site ?? null
}

/** Which addresses inside private networks the owner allows to be asked from here. */
export async function insideAllowed(db: Database, siteId: string): Promise<InsideAllowed> {
  const [site] = await rows<{ allowed: string[] }>(db, 'SELECT inside_allowed AS allowed FROM sites WHERE id = $1', [siteId])
  return site?.allowed ?? []
}

/** Sets what new links to files do. */
export async function putFileHabit(db: Database, siteId: string, downloads: boolean, transaction: Transaction): Promise<void> {
  await rows(db, 'UPDATE sites SET downloads_files = $2 WHERE id = $1', [siteId, downloads], transaction)
}

/** A site for real use. @returns its id */
export async function insertSite(
  db: Database,
  { name, language, timeZone }: { name: string; language: string; timeZone: string },
  transaction: Transaction,
): Promise<string> {
  const [site] = await rows<{ id: string }>(
    db,
    'INSERT INTO sites (name, language, time_zone) VALUES ($1, $2, $3) RETURNING id',
    [name, language, timeZone],
    transaction,
  )
  return site?.id ?? ''
}
