import type { Partner, PartnerChange, PartnerNew } from '../contract/partners.ts'
import { parseUrl, siteOfHost } from '../core/address/index.ts'
import { type TemplateFault, templateFault } from '../core/partners/index.ts'
import { fail, ok, type Result } from '../core/result.ts'
import type { PartnerRow } from '../data/models.ts'
import { insertPartner, listPartners, NameTaken, removePartner, updatePartner } from '../data/partners.ts'
import { type Actor, type Context, write, writeAudit } from './context.ts'

type PartnerFault = TemplateFault | 'forbidden' | 'not-found' | 'moved-on' | 'name-taken' | 'address-unreadable'

const shown = ({ id, name, sites, linkTemplate, account, version }: PartnerRow): Partner => ({
  id,
  name,
  sites,
  template: linkTemplate,
  account,
  version,
})

/** Sites as people paste them, whole addresses included, as registrable domains. */
function sitesOf(typed: readonly string[]): Result<string[], 'address-unreadable'> {
  const sites: string[] = []
  for (const text of typed) {
    const url = parseUrl(/^[a-z]+:\/\//i.test(text) ? text : `https://${text}`)
    if (url === null || !url.hostname.includes('.')) return fail('address-unreadable', { address: text })
    sites.push(siteOfHost(url.hostname))
  }
  return ok([...new Set(sites)])
}

export function partnersService({ db }: Context) {
  const save = async (
    actor: Actor,
    change: PartnerNew,
    action: string,
    store: (sites: string[], transaction: Parameters<Parameters<typeof write>[1]>[0]) => Promise<PartnerRow | null>,
  ) => {
    if (!actor.can('partners:edit')) return fail('forbidden')
    const sites = sitesOf(change.sites)
    if (!sites.ok) return sites
    const template = change.template === undefined || change.template === '' ? null : templateFault(change.template)
    if (template !== null) return fail(template.fault, { why: template.what })
    try {
      return await write(db, async (transaction, changes) => {
        const row = await store(sites.value, transaction)
        if (row === null) return fail('moved-on')
        changes.add(actor.siteId, 'partners', row.id, action === 'partners:create' ? 'made' : 'changed')
        await writeAudit(db, actor, action, row.id, { name: change.name, sites: sites.value }, transaction)
        return ok(shown(row))
      })
    } catch (error) {
      if (error instanceof NameTaken) return fail('name-taken', { name: change.name })
      throw error
    }
  }

  return {
    async list(actor: Actor): Promise<Result<{ items: Partner[] }, 'forbidden'>> {
      if (!actor.can('partners:read')) return fail('forbidden')
      return ok({ items: (await listPartners(db, actor.siteId)).map(shown) })
    },

    create(actor: Actor, change: PartnerNew): Promise<Result<Partner, PartnerFault>> {
      return save(actor, change, 'partners:create', (sites, transaction) => {
        const { name, template = '', account = '' } = change
        return insertPartner(db, { siteId: actor.siteId, name, sites, linkTemplate: template, account }, transaction)
      })
    },

    change(actor: Actor, id: string, change: PartnerChange): Promise<Result<Partner, PartnerFault>> {
      return save(actor, change, 'partners:edit', (sites, transaction) =>
        updatePartner(
          db,
          { id, siteId: actor.siteId, version: change.version },
          {
            name: change.name,
            sites,
            ...(change.template === undefined ? {} : { linkTemplate: change.template }),
            ...(change.account === undefined ? {} : { account: change.account }),
          },
          transaction,
        ),
      )
    },

    async remove(actor: Actor, id: string): Promise<Result<null, PartnerFault>> {
      if (!actor.can('partners:edit')) return fail('forbidden')
      return write(db, async (transaction, changes) => {
        if (!(await removePartner(db, actor.siteId, id, transaction))) return fail('not-found')
        changes.add(actor.siteId, 'partners', id, 'removed')
        await writeAudit(db, actor, 'partners:delete', id, {}, transaction)
        return ok(null)
      })
    },
  }
}
