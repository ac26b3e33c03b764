import { RuleList } from '../contract/rules.ts'
import type { Rule } from '../core/rules/index.ts'
import { type Database, jsonOf, rows, type Transaction } from './database.ts'
import { NOW, selectOne, update } from './plain.ts'
import { rules } from './tables/index.ts'

/** A version of a site's rule list. Version 0 is the empty one that every site begins with. */
export interface StoredRules {
  readonly version: number
  readonly rules: readonly Rule[]
  /** Whether links to partners are paid where nothing else speaks. */
  readonly partnersArePaid: boolean
}

const STORED = ['version', 'list', 'partnersArePaid'] as const
interface StoredRow extends Omit<StoredRules, 'rules'> {
  readonly list: unknown
}
const stored = ({ list, ...rest }: StoredRow): StoredRules => ({ ...rest, rules: RuleList.shape.rules.parse(list) })

/** The list in force. */
export async function newestRules(db: Database, siteId: string, transaction?: Transaction): Promise<StoredRules> {
  const row = await selectOne(db, rules, STORED, { siteId }, { order: [['version', 'DESC']], transaction })
  return row === null ? { version: 0, rules: [], partnersArePaid: true } : stored(row)
}

/** @returns null when there is no such version */
export async function rulesOfVersion(
  db: Database,
  siteId: string,
  version: number,
  transaction?: Transaction,
): Promise<StoredRules | null> {
  const row = await selectOne(db, rules, STORED, { siteId, version }, { transaction })
  return row === null ? null : stored(row)
}

/** Puts a list on top of the version before it. @returns false when that is not the newest */
export async function putRules(
  db: Database,
  { siteId, version, rules: list, partnersArePaid, personId }: StoredRules & { readonly siteId: string; readonly personId: string },
  transaction: Transaction,
): Promise<boolean> {
  const kept = await rows(
    db,
    `INSERT INTO rules (site_id, version, list, person_id, partners_are_paid) SELECT $1, $2, $3::jsonb, $4, $5
     WHERE $2 = (SELECT coalesce(max(version), 0) + 1 FROM rules WHERE site_id = $1) ON CONFLICT DO NOTHING RETURNING version`,
    [siteId, version, jsonOf(list), personId, partnersArePaid],
    transaction,
  )
  return kept.length > 0
}

/** Marks a version as taken back. @returns false where it was before */
export async function markRulesUndone(db: Database, siteId: string, version: number, transaction: Transaction): Promise<boolean> {
  return (await update(db, rules, { undoneAt: NOW }, { siteId, version, undoneAt: null }, transaction)) > 0
}

/** Versions of the list, newest first, with how many rules each has. */
export function listRuleVersions(
  db: Database,
  siteId: string,
  limit: number,
): Promise<{ version: number; by: string | null; at: Date; rules: number }[]> {
  return rows(
    db,
    `SELECT version, (SELECT name FROM people WHERE people.id = rules.person_id) AS by, created_at AS at, jsonb_array_length(list) AS rules
     FROM rules WHERE site_id = $1 ORDER BY version DESC LIMIT $2`,
    [siteId, limit],
  )
}
