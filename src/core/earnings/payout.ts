import { dayOf, daysBetween, monthOf } from './calendar.ts'

/** When and from how much on a partner pays. */
export interface PayoutTerms {
  readonly every: 'month' | 'quarter' | 'half year' | 'year' | null
  /** Day of the month, 1 to 31; the last one where a month is shorter. Null where it is not known. */
  readonly day: number | null
  /** Months that pass after the one in which it was confirmed. */
  readonly afterMonths: number
  /** In the smallest unit of the currency; 0 for any amount. */
  readonly threshold: number
}

const MONTHS = { month: 1, quarter: 3, 'half year': 6, year: 12 } as const

/**
 * The next day on which a partner should pay, after `today`; null where the terms do not say, or the threshold is not reached.
 * @param today - "2026-11-26". @param confirmed - what is confirmed and not paid, in the smallest unit
 * @param since - day of the oldest of it
 */
export function nextPayDay(
  { every, day, afterMonths, threshold }: PayoutTerms,
  today: string,
  confirmed: number,
  since: string | null,
): string | null {
  if (every === null || day === null || confirmed <= 0 || confirmed < threshold || since === null) return null
  const step = MONTHS[every]
  const begin = monthOf(since)
  // The end of the period in which it was confirmed, and the months after it.
  let month = begin - (((begin % step) + step) % step) + step - 1 + Math.max(1, afterMonths)
  for (let tries = 0; tries < 1_200; tries++, month += step) {
    const found = dayOf(month, day)
    if (found > today) return found
  }
  return null
}

/** Whether what was to be paid by now has not been seen. */
export function isPaymentLate(terms: PayoutTerms, today: string, confirmed: number, since: string | null): boolean {
  if (since === null || confirmed < terms.threshold || confirmed <= 0) return false
  const due = nextPayDay(terms, since, confirmed, since)
  return due !== null && daysBetween(due, today) > LATE_DAYS
}
/** A transfer takes its time. */
const LATE_DAYS = 10
