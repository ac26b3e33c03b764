/**
 * The one place that knows how numbers, money, lists, days and the names of languages are written.
 * British English so far: another language is another tag.
 */
const TAG = 'en-GB'

// Pure: a screen that writes no list makes no format for lists.

const numbers = /* @__PURE__ */ new Intl.NumberFormat(TAG)
const both = /* @__PURE__ */ new Intl.ListFormat(TAG, { type: 'conjunction' })
const one = /* @__PURE__ */ new Intl.ListFormat(TAG, { type: 'disjunction' })
const languages = /* @__PURE__ */ new Intl.DisplayNames(TAG, { type: 'language', fallback: 'code' })
/** Making a format costs as much as a thousand uses of it. */
const moneys = /* @__PURE__ */ new Map<string, Intl.NumberFormat>()

/** "1,234". */
export const number = (value: number): string => numbers.format(value)

/** A number and what it counts: "1 row", "1,234 rows". */
export const counted = (value: number, single: string, several = `${single}s`): string =>
  `${number(value)} ${value === 1 ? single : several}`

/** "a, b and c". */
export const list = (words: readonly string[]): string => both.format(words)

/** "a, b or c". */
export const either = (words: readonly string[]): string => one.format(words)

/** @param amount - in the currency's own unit, not its smallest one */
export function money(amount: number, currency: string): string {
  const known = moneys.get(currency)
  const format = known ?? new Intl.NumberFormat(TAG, { style: 'currency', currency, currencyDisplay: 'narrowSymbol' })
  if (known === undefined) moneys.set(currency, format)
  return format.format(amount)
}

/** The name of a language (BCP 47); its tag where it has none. */
export function languageName(tag: string): string {
  try {
    return languages.of(tag) ?? tag
  } catch {
    return tag // no tag of a language at all
  }
}

/** "15:04". @param zone - the reader's own where it is left out */
export const clock = (at: Date, zone?: string): string => at.toLocaleTimeString(TAG, { hour: '2-digit', minute: '2-digit', timeZone: zone })

/** "3 May 2026". */
export const date = (at: Date): string => at.toLocaleDateString(TAG, { day: 'numeric', month: 'short', year: 'numeric' })

/** "3 May 2026, 15:04". @param zone - the reader's own where it is left out */
export const dateAndClock = (at: Date, zone?: string): string =>
  at.toLocaleString(TAG, { dateStyle: 'medium', timeStyle: 'short', timeZone: zone })

/** A day of a calendar (YYYY-MM-DD): "15 Jan", with its year where that is asked for. */
export const day = (written: string, withYear = false): string =>
  new Date(`${written}T12:00:00Z`).toLocaleDateString(TAG, {
    day: 'numeric',
    month: 'short',
    timeZone: 'UTC',
    ...(withYear ? { year: 'numeric' } : {}),
  })
