import { Disclosure } from '../contract/disclosure.ts'
import type { InsideAllowed } from '../core/address/index.ts'
import type { SiteSetup } from '../core/rules/index.ts'
import { askTogether, type Database, rows, type Transaction } from './database.ts'
import { count, insert, NOW, only, remove, select, selectOne, update } from './plain.ts'
import { newestRules } from './rules.ts'
import { hosts, partners, type SiteRow, setUpCode, sites } from './tables/index.ts'

const SET_UP = [
  'name',
  'language',
  'insideAllowed',
  'downloadsFiles',
  'ignoresCase',
  'ignoresSlash',
  'disclosure',
  'countsPages',
  'ledAway',
] as const
const ANSWERING = ['id', 'host', 'kind', 'prefix', 'oldPrefixes', 'origin', 'missingTo'] as const
const TERMS = ['id', 'name', 'sites', 'template', 'account', 'allows', 'status', 'isPaid'] as const

/** @returns null when there is no such site */
export async function readSiteSetup(db: Database, siteId: string, transaction?: Transaction): Promise<SiteSetup | null> {
  const mainFirst = [
    ['isMain', 'DESC'],
    ['host', 'ASC'],
  ] as const
  const [site, answering, found, { rules, partnersArePaid }] = await askTogether(
    transaction,
    () => selectOne(db, sites, SET_UP, { id: siteId }, { transaction }),
    () => select(db, hosts, ANSWERING, { siteId, removedAt: null }, { order: mainFirst, transaction }),
    () => select(db, partners, TERMS, { siteId }, { order: [['name', 'ASC']], transaction }),
    () => newestRules(db, siteId, transaction),
  )
  if (site === null) return null
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
    hosts: answering,
    partners: found.map(({ status, ...terms }) => ({ ...terms, isEnded: status === 'ended' })),
    rules,
    partnersArePaid,
  }
}

export async function siteIds(db: Database, transaction?: Transaction): Promise<string[]> {
  return (await select(db, sites, ['id'], {}, { order: [['createdAt', 'ASC']], transaction })).map(({ id }) => id)
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
  return (await count(db, setUpCode, { codeHash: hash })) === 1
}

/** Uses the code up, so that of two who come with it at once one is let in. */
export async function takeSetUpCode(db: Database, hash: string, transaction: Transaction): Promise<boolean> {
  return (await remove(db, setUpCode, { codeHash: hash }, transaction)) === 1
}

const FACTS = ['name', 'language', 'timeZone', 'ignoresCase', 'ignoresSlash', 'insideAllowed', 'neverAsked', 'asksAs', 'version'] as const
/** Holds a site until the transaction ends: of two who change what there is one of, the second sees what the first left. */
export async function holdSite(db: Database, siteId: string, transaction: Transaction): Promise<void> {
  await selectOne(db, sites, ['id'], { id: siteId }, { holds: true, transaction })
}

/** What people see of a site in Settings. See `Tolerance` for how addresses are taken that are nearly those of a row of redirects. */
export type SiteFacts = Pick<SiteRow, (typeof FACTS)[number]>

export const readSite = (db: Database, siteId: string, transaction?: Transaction): Promise<SiteFacts | null> =>
  selectOne(db, sites, FACTS, { id: siteId }, { transaction })

/** @returns null when the version is not the newest */
export async function updateSite(db: Database, siteId: string, next: SiteFacts, transaction: Transaction): Promise<SiteFacts | null> {
  const change = { ...only(next, FACTS), version: next.version + 1, updatedAt: NOW }
  const changed = await update(db, sites, change, { id: siteId, version: next.version }, transaction)
  return changed === 0 ? null : readSite(db, siteId, transaction)
}

/** Which addresses inside private networks the owner allows to be asked from here. */
export async function insideAllowed(db: Database, siteId: string): Promise<InsideAllowed> {
  return (await selectOne(db, sites, ['insideAllowed'], { id: siteId }))?.insideAllowed ?? []
}

/** How a site's destinations are visited: which never are, by patterns, and who is told to ask. */
export async function visitHabits(db: Database, siteId: string): Promise<Pick<SiteRow, 'neverAsked' | 'asksAs'>> {
  return (await selectOne(db, sites, ['neverAsked', 'asksAs'], { id: siteId })) ?? { neverAsked: [], asksAs: '' }
}

/** Sets what new links to files do. */
export async function putFileHabit(db: Database, siteId: string, downloads: boolean, transaction: Transaction): Promise<void> {
  await update(db, sites, { downloadsFiles: downloads }, { id: siteId }, transaction)
}

/** A site for real use. @returns its id */
export async function insertSite(
  db: Database,
  { name, language, timeZone }: { name: string; language: string; timeZone: string },
  transaction: Transaction,
): Promise<string> {
  return (await insert(db, sites, { name, language, timeZone }, transaction)).id
}
