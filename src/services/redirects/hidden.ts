import type { RedirectOutcome } from '../../contract/redirects.ts'
import { hiddenBy, isConditional, leadsOn, type Redirect, TOLERANCE } from '../../core/routing/index.ts'
import type { SiteGround } from '../../core/rules/index.ts'
import type { Database, Transaction } from '../../data/database.ts'
import { askedRedirects, isLiveAt, visitsOfRows } from '../../data/redirects.ts'

/** Hidden rows that are named. */
const NAMED = 5

/**
 * What a row that catches everything under a path would keep from ever being reached.
 * @param more - rows that are about to stand in the table as well
 * @returns null for a row that hides nothing
 */
export async function hiddenRows(
  db: Database,
  { setup, origin }: SiteGround,
  { row, more = [] }: { readonly row: Redirect; readonly more?: readonly Redirect[] },
  transaction: Transaction,
): Promise<RedirectOutcome['hides']> {
  if (row.match !== 'under' || isConditional(row.when)) return null
  const site = { tolerance: setup.tolerance ?? TOLERANCE, origin, hosts: new Map(setup.hosts.map(({ host, kind }) => [host, kind])) }
  const asked = await askedRedirects(db, setup.siteId, transaction)
  const known = new Set(asked.map(({ id }) => id))
  const hidden = hiddenBy(row, [...asked, ...more.filter(({ id }) => !known.has(id))], site)
  const isWhole = row.from === '/'
  const catchesRobots = isWhole && !(await isLiveAt(db, setup.siteId, ['/robots.txt'], transaction))
  if (hidden.length === 0 && !isWhole) return null
  const ids = hidden.map(({ id }) => id)
  return {
    rows: hidden.length,
    names: hidden.slice(0, NAMED).map(({ from }) => from),
    visits: await visitsOfRows(db, ids, transaction),
    isWhole,
    catchesRobots: catchesRobots && leadsOn(row.status),
  }
}
