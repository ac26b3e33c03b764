import { mayAsk } from '../contract/operation.ts'
import { sites as calls, type SetUp, type Site, type SiteChange } from '../contract/sites.ts'
import { fail, ok, type Result } from '../core/result.ts'
import { insertHost } from '../data/hosts.ts'
import { insertPerson } from '../data/people.ts'
import { insertSite, inUseAs, isSetUpCode, readSite, takeSetUpCode, updateSite } from '../data/sites.ts'
import { defined } from './conditions.ts'
import { type Actor, type Context, write, writeAudit } from './context.ts'
import { actorFor } from './people/index.ts'
import { digest, hashPassword } from './secrets.ts'

type SetUpFault = 'set-up-done' | 'host-taken' | 'host-is-studio' | 'email-taken'

/** What a site is called and written in, and how an empty installation becomes one. */
export function sitesService({ db, settings }: Context) {
  return {
    /** Where the database lies, if that is not the data folder; null where it is, or is not ours. */
    clusterAt: settings.clusterAt,

    /** Whether nobody owns this installation yet. */
    isNew: async (): Promise<boolean> => (await inUseAs(db)) === 'waiting',

    /** Whether somebody comes with the code that the terminal shows. */
    maySetUp: async (code: string): Promise<boolean> => (await inUseAs(db)) === 'waiting' && isSetUpCode(db, digest(code)),

    /** Makes the site, its hosts and its owner, once. */
    async setUp(code: string, wanted: SetUp): Promise<Result<null, SetUpFault>> {
      if (!(await isSetUpCode(db, digest(code)))) return fail('set-up-done')
      for (const host of [wanted.host, wanted.shortHost]) if (settings.studioHosts.includes(host)) return fail('host-is-studio', { host })
      const passwordHash = await hashPassword(wanted.password)
      return write(db, async (transaction, changes) => {
        if (!(await takeSetUpCode(db, digest(code), transaction))) return fail('set-up-done')
        const { name } = wanted
        const siteId = await insertSite(db, wanted, transaction)
        const hosts = [{ host: wanted.host, kind: 'site' as const, prefix: '' }]
        for (const { host, kind, prefix } of [
          ...hosts,
          ...(wanted.shortHost === '' ? [] : [{ host: wanted.shortHost, kind: 'short' as const, prefix: wanted.prefix }]),
        ])
          if ((await insertHost(db, { siteId, host, kind, prefix, origin: null }, transaction)) === null)
            return fail('host-taken', { host })
        const owner = await insertPerson(
          db,
          { siteId, email: wanted.email, name: wanted.ownerName, role: 'owner', passwordHash },
          transaction,
        )
        if (owner === null) return fail('email-taken', { email: wanted.email })
        changes.add(siteId, 'sites', siteId, 'made')
        await writeAudit(db, actorFor(owner), 'sites:set-up', siteId, { name, host: wanted.host }, transaction)
        return ok(null)
      })
    },

    async get(actor: Actor): Promise<Result<Site, 'forbidden' | 'not-found'>> {
      if (!mayAsk(actor, calls.get)) return fail('forbidden')
      const site = await readSite(db, actor.siteId)
      return site === null ? fail('not-found') : ok(site)
    },

    async change(actor: Actor, change: SiteChange): Promise<Result<Site, 'forbidden' | 'not-found' | 'moved-on'>> {
      if (!mayAsk(actor, calls.change)) return fail('forbidden')
      const before = await readSite(db, actor.siteId)
      if (before === null) return fail('not-found')
      return write(db, async (transaction, changes) => {
        const site = await updateSite(db, actor.siteId, { ...before, ...defined(change) }, transaction)
        if (site === null) return fail('moved-on', { current: before })
        changes.add(actor.siteId, 'sites', actor.siteId, 'changed')
        await writeAudit(db, actor, 'sites:edit', actor.siteId, { from: before.name, to: site.name }, transaction)
        return ok(site)
      })
    },
  }
}
