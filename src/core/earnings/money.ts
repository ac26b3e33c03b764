import { fail, ok, type Result } from '../result.ts'

/** An amount of one currency in its smallest unit: cents for euros, yen for yen. */
export interface Money {
  /** A safe integer; below 0 for what is taken back. */
  readonly minor: number
  /** ISO 4217, upper case. */
  readonly currency: string
}

/** Digits behind the point, where they are not two (ISO 4217). */
const DIGITS: Readonly<Record<string, number>> = {
  ...Object.fromEntries('BIF CLP DJF GNF ISK JPY KMF KRW PYG RWF UGX VND VUV XAF XOF XPF'.split(' ').map((code) => [code, 0])),
  ...Object.fromEntries('BHD IQD JOD KWD LYD OMR TND'.split(' ').map((code) => [code, 3])),
}
export const digitsOf = (currency: string): number => DIGITS[currency] ?? 2

/** How a report writes numbers: by which character the cents are parted. */
export const DECIMAL_STYLES = ['point', 'comma'] as const
export type DecimalStyle = (typeof DECIMAL_STYLES)[number]

const SYMBOLS: Readonly<Record<string, string>> = { '€': 'EUR', '£': 'GBP', '¥': 'JPY', US$: 'USD', $: 'USD', CHF: 'CHF', kr: 'SEK' }

/** What a cell says of its currency beside the number; null where it says nothing. */
export function currencyIn(cell: string): string | null {
  const code = /(?<![A-Za-z])([A-Z]{3})(?![A-Za-z])/.exec(cell)?.[1]
  if (code !== undefined) return code
  for (const [symbol, currency] of Object.entries(SYMBOLS)) if (cell.includes(symbol)) return currency
  return null
}

/** A number as written, without its currency: a sign, digits and what parts them; null where it is none. */
function bareNumber(cell: string): { text: string; isBelow: boolean } | null {
  const bare = cell
    .replace(/[€£¥$]|US|kr\.?/g, '')
    .replace(/[A-Za-z]{3}/g, '')
    .replace(/[\s\u00a0\u202f']/g, '')
    .replace('−', '-')
  const found = /^(\(?)([-+]?)(\d[\d.,]*|[.,]\d+)(-?)(\)?)$/.exec(bare)
  if (found === null || (found[1] === '(') !== (found[5] === ')')) return null
  return { text: found[3] ?? '', isBelow: found[1] === '(' || found[2] === '-' || found[4] === '-' }
}

/** Which style a cell can only be of; null where either would do, "neither" where none does. */
export function styleOf(cell: string): DecimalStyle | 'neither' | null {
  const number = bareNumber(cell)
  if (number === null) return null
  const asPoint = isOf(number.text, 'point')
  const asComma = isOf(number.text, 'comma')
  return asPoint && asComma ? null : asPoint ? 'point' : asComma ? 'comma' : 'neither'
}

const PATTERNS: Readonly<Record<DecimalStyle, RegExp>> = {
  point: /^(?:\d+|\d{1,3}(?:,\d{3})+)?(?:\.\d+)?$/,
  comma: /^(?:\d+|\d{1,3}(?:\.\d{3})+)?(?:,\d+)?$/,
}
const isOf = (text: string, style: DecimalStyle): boolean => text !== '' && PATTERNS[style].test(text)

/**
 * Reads an amount as a whole number of its smallest unit. Nothing is rounded: more digits than the currency has are refused,
 * unless they are zeros.
 * @returns null where the cell is no amount of this style and currency
 */
export function readMinor(cell: string, style: DecimalStyle, currency: string): number | null {
  const number = bareNumber(cell)
  if (number === null || !isOf(number.text, style)) return null
  const [whole = '', fraction = ''] = number.text.replaceAll(style === 'point' ? ',' : '.', '').split(style === 'point' ? '.' : ',')
  const digits = digitsOf(currency)
  if (/[^0]/.test(fraction.slice(digits))) return null
  const minor = Number(`${whole === '' ? '0' : whole}${fraction.slice(0, digits).padEnd(digits, '0')}`)
  if (!Number.isSafeInteger(minor)) return null
  return number.isBelow && minor !== 0 ? -minor : minor
}

/** An amount as plain digits with a point, as in "12.30": for files. */
export function plainAmount({ minor, currency }: Money): string {
  const digits = digitsOf(currency)
  const text = String(Math.abs(minor)).padStart(digits + 1, '0')
  const sign = minor < 0 ? '-' : ''
  return digits === 0 ? sign + text : `${sign}${text.slice(0, -digits)}.${text.slice(-digits)}`
}

/** An amount as a person types it: in the way of their language or, where it can only be of the other, in that one. */
export function readAmount(
  typed: string,
  currency: string,
  style: DecimalStyle,
): Result<number, 'other-currency' | 'not-an-amount' | 'below-nothing'> {
  const said = currencyIn(typed)
  if (said !== null && said !== currency) return fail('other-currency', { currency: said })
  const minor = readMinor(typed, style, currency) ?? readMinor(typed, style === 'comma' ? 'point' : 'comma', currency)
  if (minor === null) return fail('not-an-amount')
  return minor < 0 ? fail('below-nothing') : ok(minor)
}
