import type { FrontDoor, FrontDoorNew } from '../contract/front-doors.ts'
import { parseUrl } from '../core/address/index.ts'
import { fail, ok, type Result } from '../core/result.ts'
import { originOf } from '../core/rules/index.ts'
import { rows } from '../data/database.ts'
import { isPrivateAddress } from '../data/network.ts'
import { type Actor, announce, type Context, write, writeAudit } from './context.ts'

export function frontDoorsService({ db, settings }: Context) {
  const shown = ({ id, host, origin }: { id: string; host: string; origin: string | null }): FrontDoor => ({
    id,
    host,
    origin: origin ?? '',
    address: originOf(host, settings.port),
  })
  return {
    async list(actor: Actor): Promise<Result<{ items: FrontDoor[] }, 'forbidden'>> {
      if (!actor.can('rules:read')) return fail('forbidden')
      const found = await rows<{ id: string; host: string; origin: string }>(
        db,
        `SELECT id, host, origin FROM hosts WHERE site_id = $1 AND kind = 'door' ORDER BY host`,
        [actor.siteId],
      )
      return ok({ items: found.map(shown) })
    },

    /** Answers on `host` from now on with what the site at `origin` says, rules applied. */
    async make(
      actor: Actor,
      { host, origin }: FrontDoorNew,
    ): Promise<Result<FrontDoor, 'forbidden' | 'host-taken' | 'host-is-studio' | 'origin-out-of-bounds'>> {
      if (!actor.can('hosts:edit')) return fail('forbidden')
      if (settings.studioHosts.includes(host)) return fail('host-is-studio')
      const url = parseUrl(origin)
      const [site] = await rows<{ allowed: boolean }>(db, 'SELECT may_visit_private AS allowed FROM sites WHERE id = $1', [actor.siteId])
      const isLocal =
        url !== null && (url.hostname === 'localhost' || url.hostname.endsWith('.localhost') || isPrivateAddress(url.hostname))
      if (url === null || (isLocal && site?.allowed !== true)) return fail('origin-out-of-bounds')
      // A door that opens onto this very server would ask itself for ever.
      if (url.hostname === host && Number(url.port || (url.protocol === 'https:' ? 443 : 80)) === settings.port)
        return fail('origin-out-of-bounds')
      return write(db, async (transaction) => {
        const [made] = await rows<{ id: string; host: string; origin: string }>(
          db,
          `INSERT INTO hosts (site_id, host, kind, origin) VALUES ($1, $2, 'door', $3) ON CONFLICT (host) DO NOTHING RETURNING id, host, origin`,
          [actor.siteId, host, url.origin],
          transaction,
        )
        if (made === undefined) return fail('host-taken', { host })
        await announce(db, transaction)
        await writeAudit(db, actor, 'front-doors:make', made.id, { host, origin: url.origin }, transaction)
        return ok(shown(made))
      })
    },

    async remove(actor: Actor, id: string): Promise<Result<null, 'forbidden' | 'not-found'>> {
      if (!actor.can('hosts:edit')) return fail('forbidden')
      return write(db, async (transaction) => {
        const [gone] = await rows<{ host: string }>(
          db,
          `DELETE FROM hosts WHERE id = $1 AND site_id = $2 AND kind = 'door' RETURNING host`,
          [id, actor.siteId],
          transaction,
        )
        if (gone === undefined) return fail('not-found')
        await announce(db, transaction)
        await writeAudit(db, actor, 'front-doors:remove', id, gone, transaction)
        return ok(null)
      })
    },
  }
}
