import type { ComparedPartner, Partner, Payout } from '../../contract/partners.ts'
import { digitsOf } from '../../core/earnings/index.ts'
import { money as amount, day } from '../../words/index.ts'

/** An amount as people read it. */
export function money(minor: number, currency: string): string {
  return amount(Math.round(minor) / 10 ** digitsOf(currency), currency)
}

export const STATUS_WORDS: Readonly<Record<Partner['status'], string>> = {
  applied: 'applied for',
  active: 'active',
  paused: 'paused',
  ended: 'ended',
}

/** When and how a partner pays, in words. */
export function payoutWords({ method, every, day, threshold }: Payout, currency: string): string {
  const parts = [
    method === '' ? '' : `by ${method}`,
    every === null ? '' : `each ${every}${day === null ? '' : `, on the ${ordinal(day)}`}`,
    threshold === 0 ? '' : `from ${money(threshold, currency)}`,
  ].filter((part) => part !== '')
  return parts.length === 0 ? 'not known yet' : parts.join(', ')
}

const ordinal = (day: number): string =>
  `${day}${day % 10 === 1 && day !== 11 ? 'st' : day % 10 === 2 && day !== 12 ? 'nd' : day % 10 === 3 && day !== 13 ? 'rd' : 'th'}`

/** A day as people write it: "15 Jan", with its year where that is another one. */
export const dayWords = (on: string): string => day(on, !on.startsWith(String(new Date().getUTCFullYear())))

/** What there is to be paid of a partner, in its own currency. */
export const openOf = ({ earned, partner }: Pick<ComparedPartner, 'earned' | 'partner'>): number => {
  const main = earned.find(({ currency }) => currency === partner.currency)
  return (main?.pending ?? 0) + (main?.confirmed ?? 0)
}
