import type { Transaction } from 'sequelize'
import { RuleList } from '../contract/rules.ts'
import type { Rule } from '../core/rules/index.ts'
import { type Database, jsonOf, rows } from './database.ts'

/** A version of a site's rule list. Version 0 is the empty one that every site begins with. */
export interface StoredRules {
  readonly version: number
  readonly rules: readonly Rule[]
}

const readList = (list: unknown): readonly Rule[] => RuleList.shape.rules.parse(list)

/** The list in force. */
export async function newestRules(db: Database, siteId: string, transaction?: Transaction): Promise<StoredRules> {
  const [row] = await rows<{ version: number; list: unknown }>(
    db,
    'SELECT version, list FROM rules WHERE site_id = $1 ORDER BY version DESC LIMIT 1',
    [siteId],
    transaction,
  )
  return row === undefined ? { version: 0, rules: [] } : { version: row.version, rules: readList(row.list) }
}

/** @returns null when there is no such version */
export async function rulesOfVersion(db: Database, siteId: string, version: number): Promise<StoredRules | null> {
  const [row] = await rows<{ list: unknown }>(db, 'SELECT list FROM rules WHERE site_id = $1 AND version = $2', [siteId, version])
  return row === undefined ? null : { version, rules: readList(row.list) }
}

/** Puts a list on top of the version before it. @returns false when that is not the newest */
export async function putRules(
  db: Database,
  { siteId, version, rules, personId }: StoredRules & { readonly siteId: string; readonly personId: string },
  transaction: Transaction,
): Promise<boolean> {
  const kept = await rows(
    db,
    `INSERT INTO rules (site_id, version, list, person_id) SELECT $1, $2, $3::jsonb, $4
     WHERE $2 = (SELECT coalesce(max(version), 0) + 1 FROM rules WHERE site_id = $1) ON CONFLICT DO NOTHING RETURNING version`,
    [siteId, version, jsonOf(rules), personId],
    transaction,
  )
  return kept.length > 0
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
