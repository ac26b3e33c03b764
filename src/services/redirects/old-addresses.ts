import { randomUUID } from 'node:crypto'
import { fail, ok, type Result } from '../../core/result.ts'
import type { SiteGround } from '../../core/rules/index.ts'
import type { Changes } from '../../data/changes.ts'
import type { Database, Transaction } from '../../data/database.ts'
import { insertRedirects, updateRedirects } from '../../data/redirect-steps.ts'
import { keptRedirects } from '../../data/redirects.ts'
import type { Actor } from '../context.ts'
import { fieldsOf, nameOfRow, PLAIN_REDIRECT, type RedirectFieldFault } from './fields.ts'

/**
 * Keeps an address working whose page or file moves or goes, in the step in which it does: a row leads it elsewhere. A row
 * that is there for it already is led there instead.
 */
export async function leadOldAddress(
  db: Database,
  { siteId, personId }: Pick<Actor, 'siteId' | 'personId'>,
  view: SiteGround,
  { from, to, note }: { from: string; to: string; note: string },
  { transaction, changes }: { transaction: Transaction; changes: Changes },
): Promise<Result<null, RedirectFieldFault>> {
  const fields = fieldsOf(view, { ...PLAIN_REDIRECT, from, to, note })
  if (!fields.ok) return fields
  const by = { siteId, personId, stepId: null }
  const name = nameOfRow(view, fields.value)
  const there = (await keptRedirects(db, siteId, [fields.value], transaction)).find((row) => nameOfRow(view, row) === name)
  const id = there?.id ?? randomUUID()
  if (there === undefined) await insertRedirects(db, by, [{ id, row: fields.value }], transaction)
  else await updateRedirects(db, by, [{ id, version: there.version, row: { ...fields.value, beatsPages: false } }], transaction)
  changes.add(siteId, 'redirects', id, there === undefined ? 'made' : 'changed')
  return ok(null)
}

/** Whether somebody may lead an address elsewhere, where that is asked for. */
export const mayLead = (actor: Actor, to: string | undefined): Result<null, 'forbidden'> =>
  to === undefined || actor.can('redirects:edit') ? ok(null) : fail('forbidden')
