import { type Told, tell } from '../../words/index.ts'
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

/** What a programme pays, as it is told. */
export function tellCommission(terms: CommissionTerms, currency: string): Told {
  switch (terms.kind) {
    case 'unknown':
      return tell('commission.unknown')
    case 'percent':
      return tell('commission.percent', { percent: terms.percent })
    case 'flat':
      return tell('commission.flat', { amount: plainAmount({ minor: terms.amount, currency }), currency })
    case 'recurring':
      return tell('commission.recurring', { percent: terms.percent, months: terms.months })
    case 'tiers': {
      const [first, ...rest] = [...terms.steps].sort((a, b) => a.from - b.from)
      const later = rest.map(({ from, percent }) =>
        terms.by === 'orders'
          ? tell('commission.from-order', { percent, order: from, each: terms.each })
          : tell('commission.from-sales', { percent, amount: plainAmount({ minor: from, currency }), currency, each: terms.each }),
      )
      return tell('commission.tiers', { percent: first?.percent ?? 0, later })
    }
  }
}
