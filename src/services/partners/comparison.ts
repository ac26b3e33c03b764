import { mayAsk } from '../../contract/operation.ts'
import { type ComparedPartner, partners as calls, type PartnerComparison } from '../../contract/partners.ts'
import { daysBetween, isPaymentLate, nextPayDay } from '../../core/earnings/index.ts'
import { tellCommission } from '../../core/partners/index.ts'
import { fail, ok, type Result } from '../../core/result.ts'
import { payFacts, sumEarnings } from '../../data/earnings.ts'
import { listPartners, type PartnerRow, usesOfPartners } from '../../data/partners.ts'
import { tell } from '../../words/index.ts'
import type { Actor, Context, SiteViews } from '../context.ts'
import type { placementsService } from '../placements/index.ts'

const ENDS_SOON_DAYS = 30
/** A partner with links and no report for so long is looked after by nobody. */
const REPORTED_DAYS = 100
const EARNED_MAX = 5_000

export function partnerComparisonService({ db }: Context, views: SiteViews, placements: ReturnType<typeof placementsService>) {
  return {
    /** All partners in one table, with what each reminds of. */
    async compare(actor: Actor): Promise<Result<PartnerComparison, 'forbidden'>> {
      if (!mayAsk(actor, calls.compare)) return fail('forbidden')
      const { siteId } = actor
      const [partners, earned, facts] = await Promise.all([
        listPartners(db, siteId),
        sumEarnings(db, { siteId, by: 'partner' }, EARNED_MAX),
        payFacts(db, siteId),
      ])
      const uses = await usesOfPartners(db, siteId, partners)
      const list = await placements.listOf(siteId, await views.of(actor))
      const links = new Map(list.ask({}).counts.partner)
      const factsOf = new Map(facts.map((each) => [each.partnerId, each]))
      const today = new Date().toISOString().slice(0, 10)
      return ok({
        items: partners.map((partner): ComparedPartner => {
          const own = earned.filter(({ key }) => key === partner.id).map(({ key: _key, name: _name, ...sums }) => sums)
          const used = uses.get(partner.id)
          const main = own.find(({ currency }) => currency === partner.currency)
          const { since = null, reportedOn = null } = factsOf.get(partner.id) ?? {}
          const clicks = used?.clicks ?? 0
          const placed = links.get(partner.id) ?? 0
          const confirmed = main?.confirmed ?? 0
          return {
            partner: { ...partner, sites: [...partner.sites] },
            pays: tellCommission(partner.commission, partner.currency),
            earned: own,
            clicks,
            epc: clicks === 0 || main === undefined ? null : (main.pending + main.confirmed + main.paid) / clicks,
            payDay: nextPayDay(partner.payout, today, confirmed, since),
            links: placed,
            shortLinks: used?.shortLinks ?? 0,
            redirects: used?.redirects ?? 0,
            reminders: remindersOf(partner, { today, links: placed + (used?.shortLinks ?? 0), confirmed, since, reportedOn }),
          }
        }),
      })
    },
  }
}

function remindersOf(
  { endsOn, status, payout, isNetwork }: PartnerRow,
  {
    today,
    links,
    confirmed,
    since,
    reportedOn,
  }: { today: string; links: number; confirmed: number; since: string | null; reportedOn: string | null },
): ComparedPartner['reminders'] {
  const found: ComparedPartner['reminders'] = []
  const days = endsOn === null ? null : daysBetween(today, endsOn)
  if (days !== null && days >= 0 && days <= ENDS_SOON_DAYS && status !== 'ended')
    found.push({ what: 'ends soon', words: days === 0 ? tell('partner.ends-today') : tell('partner.ends-in', { days }) })
  if ((status === 'ended' || (days !== null && days < 0)) && links > 0)
    found.push({
      what: 'ended and in use',
      words: tell('partner.ended-in-use', { links }),
    })
  if (isPaymentLate(payout, today, confirmed, since)) found.push({ what: 'payment late', words: tell('partner.payment-late') })
  else if (payout.threshold > 0 && confirmed >= payout.threshold)
    found.push({ what: 'threshold reached', words: tell('partner.threshold') })
  if (!isNetwork && links > 0 && reportedOn !== null && daysBetween(reportedOn, today) > REPORTED_DAYS)
    found.push({ what: 'no report for long', words: tell('partner.no-report-since', { day: reportedOn }) })
  return found
}
