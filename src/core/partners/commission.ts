import { plainAmount } from '../earnings/index.ts'

/** What a programme pays. Amounts in the smallest unit of its currency. */
export type CommissionTerms =
  | { readonly kind: 'unknown' }
  | { readonly kind: 'percent'; readonly percent: number }
  | { readonly kind: 'flat'; readonly amount: number }
  | { readonly kind: 'recurring'; readonly percent: number; readonly months: number | null }
  | {
      readonly kind: 'tiers'
      readonly by: 'orders' | 'sales'
      readonly each: 'month' | 'year'
      readonly steps: readonly { readonly from: number; readonly percent: number }[]
    }

const percentOf = (value: number): string => `${String(value)} %`

/** What a programme pays, in words. */
export function sayCommission(terms: CommissionTerms, currency: string): string {
  switch (terms.kind) {
    case 'unknown':
      return 'not known yet'
    case 'percent':
      return `${percentOf(terms.percent)} of each sale`
    case 'flat':
      return `${plainAmount({ minor: terms.amount, currency })} ${currency} an order`
    case 'recurring':
      return `${percentOf(terms.percent)} of each payment${terms.months === null ? ', as long as they pay' : ` for ${terms.months} months`}`
    case 'tiers': {
      const [first, ...rest] = [...terms.steps].sort((a, b) => a.from - b.from)
      const whole = (from: number): string =>
        terms.by === 'orders' ? `order ${from}` : `${plainAmount({ minor: from, currency })} ${currency}`
      return `${percentOf(first?.percent ?? 0)} of each sale${rest.map(({ from, percent }) => `, ${percentOf(percent)} from ${whole(from)} in a ${terms.each}`).join('')}`
    }
  }
}
