import { mayAsk } from '../../contract/operation.ts'
import { partnerMoves as calls, type RepointAsked, type Repointed, type RepointUndone } from '../../contract/partner-moves.ts'
import { type AddressFault, repair } from '../../core/address/index.ts'
import { PartnerLinks } from '../../core/partners/index.ts'
import { destinationOf } from '../../core/placements/index.ts'
import { fail, type Result } from '../../core/result.ts'
import type { SiteGround } from '../../core/rules/index.ts'
import { redirectsTo, shortLinksTo } from '../../data/partner-moves.ts'
import { findPartner, type PartnerRow } from '../../data/partners.ts'
import { tell } from '../../words/index.ts'
import type { Actor, Context, SiteViews } from '../context.ts'
import type { placementsService } from '../placements/index.ts'
import type { Repoint } from '../repoint.ts'

/** Of short links and of redirects, what one step can review. */
const MOVED_MAX = 2_000

type MoveFault = AddressFault | 'forbidden' | 'not-found' | 'moved-on' | 'nothing-to-change' | 'move-too-large'

/** Points everything that leads to a partner elsewhere: when its programme ends, or its template or the site's number changes. */
export function partnerMovesService(
  { db }: Context,
  views: SiteViews,
  { placements, repoint }: { readonly placements: ReturnType<typeof placementsService>; readonly repoint: Repoint },
) {
  return {
    async make(actor: Actor, { partnerId, oldTemplate, oldAccount, to, dryRun }: RepointAsked): Promise<Result<Repointed, MoveFault>> {
      if (!mayAsk(actor, calls.make)) return fail('forbidden')
      const partner = await findPartner(db, actor.siteId, partnerId)
      if (partner === null) return fail('not-found')
      const view = await views.of(actor)
      let address: string | null = null
      if (to.do === 'lead to') {
        const mended = repair(to.address, view.around('/'))
        if (!mended.ok) return mended
        address = mended.value.address
      }
      const terms = termsOf(partner)
      const old = new PartnerLinks([{ ...terms, template: oldTemplate ?? partner.template, account: oldAccount ?? partner.account }])
      const now = new PartnerLinks([terms])
      /** Where an address is to lead; null where it stays. */
      const next = (from: string): string | null => {
        const apart = old.recognise(from)
        if (to.do === 'lead to') return (apart !== null || old.partnerOf(from) !== null) && from !== address ? address : null
        if (apart === null) return null
        if (to.do === 'plain') return apart.destination
        const built = now.linkTo({ ...terms, isEnded: false }, apart.destination, { sub: apart.sub })
        return built.ok && built.value.address !== from ? built.value.address : null
      }
      const hosts = hostsOf(partner, oldTemplate ?? partner.template)
      const leading = await Promise.all([
        shortLinksTo(db, actor.siteId, hosts, MOVED_MAX + 1),
        redirectsTo(db, actor.siteId, hosts, MOVED_MAX + 1),
      ])
      if (leading.some(({ length }) => length > MOVED_MAX)) return fail('move-too-large')
      const links = leading[0].flatMap((link) => {
        const after = next(link.destination)
        return after === null ? [] : [{ link, after }]
      })
      const redirects = leading[1].flatMap((row) => {
        const after = next(row.to)
        return after === null ? [] : [{ row, after }]
      })
      return repoint.make(
        actor,
        view,
        {
          ...{ partnerId, mended: null, shortLinks: links, redirects, next },
          links: await linksLeadingThere(actor, view, partner.id, hosts),
          what: tell('move.elsewhere', { partner: partner.name.slice(0, 100) }),
          audit: { action: 'partners:move', subject: partnerId },
        },
        dryRun,
      )
    },

    /** Takes a step back; what was changed since is left, and told. */
    async undo(actor: Actor, id: string): Promise<Result<RepointUndone, 'forbidden' | 'not-found' | 'moved-on'>> {
      if (!mayAsk(actor, calls.undo)) return fail('forbidden')
      return repoint.undo(actor, id, 'partners:move-undo')
    },
  }

  /** By page, the numbers of the links that lead to a partner or through the host of its links, with where each leads. */
  async function linksLeadingThere(actor: Actor, view: SiteGround, partnerId: string, hosts: readonly string[]) {
    const list = await placements.listOf(actor.siteId, view)
    const wanted = new Map<string, Map<number, string>>()
    for (const facets of [{ partner: partnerId }, ...hosts.map((host) => ({ host }))])
      for (const i of list.ask({ facets }).found) {
        const judged = list.judgedAt(i)
        if (judged === null) continue
        const { page, ordinal } = judged.placement
        wanted.set(page.id, (wanted.get(page.id) ?? new Map<number, string>()).set(ordinal, destinationOf(judged)))
      }
    return wanted
  }
}

const termsOf = ({ id, name, sites, template, account, allows, status }: PartnerRow) => ({
  ...{ id, name, sites, template, account, allows },
  isEnded: status === 'ended',
})

/** Hosts by which its links are looked for: its sites, and the one that they lead through. */
function hostsOf({ sites }: PartnerRow, template: string): string[] {
  const host = /^https?:\/\/([^/?#{:]+)/i.exec(template)?.[1]?.toLowerCase()
  return [...new Set([...sites, ...(host === undefined ? [] : [host])])]
}
