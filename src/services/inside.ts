import { isOutOfBounds } from '../core/address/index.ts'
import { type Failure, fail } from '../core/result.ts'
import type { Database } from '../data/database.ts'
import { insideAllowed } from '../data/sites.ts'
import type { Actor } from './context.ts'

/** Why an address is not asked from here: it is written as one inside a private network that nobody has allowed. Null where it may be. */
export async function insideFault(db: Database, actor: Actor, { hostname }: URL): Promise<Failure<'inside-not-allowed'> | null> {
  if (!isOutOfBounds(hostname, await insideAllowed(db, actor.siteId))) return null
  return fail('inside-not-allowed', { host: hostname.replace(/^\[|\]$/g, ''), mayAllow: actor.can('hosts:edit') })
}
