import type { CompiledRule, Rule } from './rule.ts'

/** The place in a list that no rule of a person's has. */
export const LOWEST = 0

/** What a site, and a partner for itself, say of links to partners. */
export interface PaidTerms {
  /** Where it is left out, they are: that is how a site begins. */
  readonly partnersArePaid?: boolean | undefined
  /** `isPaid`: what holds for links to this one, whatever the site says; null or left out: as the site says. */
  readonly partners: readonly { readonly id: string; readonly isPaid?: boolean | null | undefined }[]
}

/** Ids of the partners to whom a link is paid where nothing else speaks. */
export const payingPartners = ({ partnersArePaid = true, partners }: PaidTerms): ReadonlySet<string> =>
  new Set(partners.filter(({ isPaid }) => isPaid ?? partnersArePaid).map(({ id }) => id))

/**
 * What holds below all rules, where neither they nor a hand speak: links to partners are paid (PRODUCT 6.3).
 * @returns none where no partner pays
 */
export function lowestRules(terms: PaidTerms): readonly CompiledRule[] {
  const paying = payingPartners(terms)
  if (paying.size === 0) return []
  const rule: Rule = {
    id: 'lowest',
    name: '', // it is told by what it is, see `tellReason`
    isOn: true,
    isBinding: false,
    when: paying.size === terms.partners.length ? { is: 'partner' } : { is: 'partner', of: [...paying] },
    what: { hints: ['sponsored', 'nofollow'] },
  }
  return [{ rule, number: LOWEST, matches: ({ partner }) => partner !== null && paying.has(partner) }]
}
