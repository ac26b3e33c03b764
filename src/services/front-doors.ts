import { frontDoors as calls, type FrontDoor, type FrontDoorNew } from '../contract/front-doors.ts'
import { mayAsk } from '../contract/operation.ts'
import { parseUrl } from '../core/address/index.ts'
import { fail, ok, type Result } from '../core/result.ts'
import { originOf } from '../core/rules/index.ts'
import { insertHost, listHosts, withdrawHost } from '../data/hosts.ts'
import { type Actor, type Context, write, writeAudit } from './context.ts'
import { insideFault } from './inside.ts'

export function frontDoorsService({ db, settings }: Context) {
  const shown = ({ id, host, origin }: { id: string; host: string; origin: string | null }): FrontDoor => ({
    id,
    host,
    origin: origin ?? '',
    address: originOf(host, settings.port),
  })
  return {
    async list(actor: Actor): Promise<Result<{ items: FrontDoor[] }, 'forbidden'>> {
      if (!mayAsk(actor, calls.list)) return fail('forbidden')
      const found = (await listHosts(db, actor.siteId)).filter(({ kind }) => kind === 'door')
      return ok({ items: found.map(shown) })
    },

    /** Answers on `host` from now on with what the site at `origin` says, rules applied. */
    async make(
      actor: Actor,
      { host, origin }: FrontDoorNew,
    ): Promise<Result<FrontDoor, 'forbidden' | 'host-taken' | 'host-is-studio' | 'origin-out-of-bounds' | 'inside-not-allowed'>> {
      if (!mayAsk(actor, calls.make)) return fail('forbidden')
      if (settings.studioHosts.includes(host)) return fail('host-is-studio')
      const url = parseUrl(origin)
      if (url === null) return fail('origin-out-of-bounds')
      const inside = await insideFault(db, actor, url)
      if (inside !== null) return inside
      if (opensOntoItself(host, url, settings.port)) return fail('origin-out-of-bounds')
      return write(db, async (transaction, changes) => {
        const made = await insertHost(db, { siteId: actor.siteId, host, kind: 'door', prefix: '', origin: url.origin }, transaction)
        if (made === null) return fail('host-taken', { host })
        changes.add(actor.siteId, 'hosts', made.id, 'made')
        await writeAudit(db, actor, 'front-doors:make', made.id, { host, origin: url.origin }, transaction)
        return ok(shown(made))
      })
    },

    async remove(actor: Actor, id: string): Promise<Result<null, 'forbidden' | 'not-found'>> {
      if (!mayAsk(actor, calls.remove)) return fail('forbidden')
      return write(db, async (transaction, changes) => {
        const gone = await withdrawHost(db, actor.siteId, id, transaction)
        if (gone?.kind !== 'door') return fail('not-found')
        changes.add(actor.siteId, 'hosts', id, 'removed')
        await writeAudit(db, actor, 'front-doors:remove', id, { host: gone.host }, transaction)
        return ok(null)
      })
    },
  }
}

/** A door that opens onto this very server would ask itself for ever. */
export const opensOntoItself = (host: string, origin: URL, port: number): boolean =>
  origin.hostname === host && Number(origin.port || (origin.protocol === 'https:' ? 443 : 80)) === port
