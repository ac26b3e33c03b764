import { hosts as calls, type Host, type HostChange, type HostList, type HostNew, type HostUses } from '../contract/hosts.ts'
import { mayAsk } from '../contract/operation.ts'
import { parseUrl } from '../core/address/index.ts'
import { fail, ok, type Result } from '../core/result.ts'
import { compileDestination } from '../core/routing/index.ts'
import { originOf } from '../core/rules/index.ts'
import type { Transaction } from '../data/database.ts'
import { goneHost, insertHost, type ListedHost, listHosts, returnHost, updateHost, usesOfHost, withdrawHost } from '../data/hosts.ts'
import { type Actor, type Context, write, writeAudit } from './context.ts'
import { opensOntoItself } from './front-doors.ts'

type HostFault =
  | 'forbidden'
  | 'not-found'
  | 'moved-on'
  | 'host-taken'
  | 'host-is-studio'
  | 'last-site-host'
  | 'prefix-only-short'
  | 'origin-out-of-bounds'
  | 'destination-refused'

/** Whether a missing page can lead there: to a path of the site, or to a whole address. */
const leadsSomewhere = (to: string): boolean => compileDestination(to, { names: [], appends: false, query: 'drop' }).ok

/** The names a site answers on: for its pages, for its short links, and as front doors. */
export function hostsService({ db, settings }: Context) {
  const shown = ({ siteId: _, ...host }: ListedHost): Host => ({ ...host, address: originOf(host.host, settings.port) })
  const one = async (actor: Actor, id: string): Promise<ListedHost | null> =>
    (await listHosts(db, actor.siteId)).find((host) => host.id === id) ?? null

  async function withPrefix(back: ListedHost | false | null, prefix: string, transaction: Transaction): Promise<ListedHost | false | null> {
    if (back === null || back === false || back.prefix === prefix) return back
    return updateHost(db, { ...back, prefix }, transaction)
  }

  return {
    async list(actor: Actor): Promise<Result<HostList, 'forbidden'>> {
      if (!mayAsk(actor, calls.list)) return fail('forbidden')
      return ok({ items: (await listHosts(db, actor.siteId)).map(shown) })
    },

    /** What stops working when this host goes, or is called otherwise. */
    async uses(actor: Actor, id: string): Promise<Result<HostUses, HostFault>> {
      if (!mayAsk(actor, calls.uses)) return fail('forbidden')
      const host = await one(actor, id)
      if (host === null) return fail('not-found')
      return ok(await usesOfHost(db, host, [`//${host.host}`, `//${host.host}:${settings.port}`]))
    },

    /** One that was taken away before comes back, with the short links it had. */
    async make(actor: Actor, { kind, host, prefix = '' }: HostNew): Promise<Result<Host, HostFault>> {
      if (!mayAsk(actor, calls.make)) return fail('forbidden')
      if (settings.studioHosts.includes(host)) return fail('host-is-studio')
      if (prefix !== '' && kind !== 'short') return fail('prefix-only-short')
      return write(db, async (transaction, changes) => {
        const { siteId } = actor
        const goneId = await goneHost(db, { siteId, host, kind }, transaction)
        const made =
          goneId === null
            ? await insertHost(db, { siteId, host, kind, prefix, origin: null }, transaction)
            : await withPrefix(await returnHost(db, siteId, goneId, transaction), prefix, transaction)
        if (made === null || made === false) return fail('host-taken', { host })
        changes.add(actor.siteId, 'hosts', made.id, 'made')
        await writeAudit(db, actor, 'hosts:make', made.id, { host, kind, prefix }, transaction)
        return ok(shown(made))
      })
    },

    /** Another name, another prefix, or the one that new links are written with. Stored pages stay as they are. */
    async change(actor: Actor, id: string, change: HostChange): Promise<Result<Host, HostFault>> {
      if (!mayAsk(actor, calls.change)) return fail('forbidden')
      const before = await one(actor, id)
      if (before === null) return fail('not-found')
      const host = change.host ?? before.host
      const prefix = change.prefix ?? before.prefix
      if (settings.studioHosts.includes(host)) return fail('host-is-studio')
      if (prefix !== '' && before.kind !== 'short') return fail('prefix-only-short')
      const door = before.origin === null ? null : parseUrl(before.origin)
      if (door !== null && opensOntoItself(host, door, settings.port)) return fail('origin-out-of-bounds')
      const missingTo = change.missingTo ?? before.missingTo
      if (missingTo !== '' && missingTo !== 'page' && !leadsSomewhere(missingTo)) return fail('destination-refused', { to: missingTo })
      const isMain = before.kind !== 'door' && (change.isMain ?? before.isMain)
      return write(db, async (transaction, changes) => {
        const changed = await updateHost(
          db,
          { siteId: actor.siteId, id, version: change.version, host, prefix, isMain, missingTo },
          transaction,
        )
        if (changed === null) {
          const now = (await listHosts(db, actor.siteId, transaction)).find((each) => each.id === id)
          if (now?.version === change.version) return fail('host-taken', { host })
          return now === undefined ? fail('not-found') : fail('moved-on', { current: shown(now) })
        }
        changes.add(actor.siteId, 'hosts', id, 'changed')
        await writeAudit(db, actor, 'hosts:edit', id, { from: `${before.host}/${before.prefix}`, to: `${host}/${prefix}` }, transaction)
        return ok(shown(changed))
      })
    },

    /** Takes a host away; its short links are kept with it, and come back with it. */
    async remove(actor: Actor, id: string): Promise<Result<null, HostFault>> {
      if (!mayAsk(actor, calls.remove)) return fail('forbidden')
      return write(db, async (transaction, changes) => {
        const gone = await withdrawHost(db, actor.siteId, id, transaction)
        if (gone === null) return fail('not-found')
        const left = await listHosts(db, actor.siteId, transaction)
        if (gone.kind === 'site' && !left.some(({ kind }) => kind === 'site')) return fail('last-site-host')
        changes.add(actor.siteId, 'hosts', id, 'removed')
        await writeAudit(db, actor, 'hosts:remove', id, { host: gone.host, kind: gone.kind }, transaction)
        return ok(null)
      })
    },

    async putBack(actor: Actor, id: string): Promise<Result<Host, HostFault>> {
      if (!mayAsk(actor, calls.putBack)) return fail('forbidden')
      return write(db, async (transaction, changes) => {
        const back = await returnHost(db, actor.siteId, id, transaction)
        if (back === null) return fail('not-found')
        if (back === false) return fail('host-taken')
        changes.add(actor.siteId, 'hosts', id, 'made')
        await writeAudit(db, actor, 'hosts:put-back', id, { host: back.host }, transaction)
        return ok(shown(back))
      })
    },
  }
}
