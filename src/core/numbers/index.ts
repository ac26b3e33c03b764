import { fail, ok, type Result } from '../result.ts'

/** What is typed into a field: what it counts, and between which bounds (both inclusive). */
export interface NumberAsked {
  readonly unit: NumberUnit
  readonly least: number
  readonly most: number
  /** Most digits behind the point; 0 for whole numbers. */
  readonly digits: number
}

/** What a number in a field can be of; each has the words that people write behind it. */
export const NUMBER_UNITS = ['number', 'percent', 'days', 'months', 'minutes', 'clicks', 'orders', 'pixels'] as const
export type NumberUnit = (typeof NUMBER_UNITS)[number]

/** By which character people part what is smaller than one: "8.5" or "8,5". */
export type DecimalMark = 'point' | 'comma'

export type NumberFault = 'not-a-number' | 'other-unit' | 'not-whole' | 'too-many-digits' | 'too-small' | 'too-large'

const UNIT_WORDS: Readonly<Record<NumberUnit, RegExp>> = {
  number: /^$/,
  percent: /^(?:%|٪|percent|per cent|pct|prozent|pour ?cent|por ?ciento|per ?cento|procent)$/,
  days: /^(?:d|days?|tage?n?|jours?|d[ií]as?|giorn[io]|dage?|dagen)$/,
  months: /^(?:mo|months?|monate?n?|mois|mes(?:es)?|mes[ei]|maanden|m[åa]neder)$/,
  minutes: /^(?:m|mins?|minutes?|minuten?|minut[oi]s?)$/,
  clicks: /^(?:clicks?|klicks?|clics?|clic|klik)$/,
  orders: /^(?:orders?|bestellung(?:en)?|commandes?|pedidos?|ordin[ei])$/,
  pixels: /^(?:px|pixels?|pixel)$/,
}

/** White space of every width: people paste numbers with no-break spaces between the thousands. */
const SPACES = /[\s\u00a0\u2007\u2009\u202f']/g

/** The mark of a language, such as "comma" for "de-AT". @throws RangeError for what is no language tag */
export const decimalMarkOf = (language: string): DecimalMark =>
  new Intl.NumberFormat(language).formatToParts(1.5).some(({ type, value }) => type === 'decimal' && value === ',') ? 'comma' : 'point'

/**
 * A number as people type it: with a point or a comma, thousands parted or not, and perhaps its unit behind it. Where one
 * mark has three digits behind it, the language says whether it parts thousands ("1,000") or what is smaller than one.
 * @returns the number; or what is wrong with what was typed. Nothing is rounded and nothing moved into the bounds. Never throws.
 */
export function readNumber(typed: string, asked: NumberAsked, mark: DecimalMark): Result<number, NumberFault> {
  const found = /^([-+−]?)([\d.,\s\u00a0\u2007\u2009\u202f']*\d[.,]?)\s*(.*)$/su.exec(typed.trim())
  if (found === null) return fail('not-a-number')
  const [, sign = '', digits = '', unit = ''] = found
  const plain = plainDigits(digits.replace(SPACES, ''), mark)
  if (plain === null) return fail('not-a-number')
  const word = unit.trim().toLowerCase().replace(/\.$/, '')
  if (word !== '' && !UNIT_WORDS[asked.unit].test(word)) return fail('other-unit', { word: unit.trim().slice(0, 40) })
  const fraction = plain.split('.')[1]?.replace(/0+$/, '') ?? ''
  if (fraction.length > asked.digits) return fail(asked.digits === 0 ? 'not-whole' : 'too-many-digits', { digits: asked.digits })
  const value = (sign === '-' || sign === '−' ? -1 : 1) * Number(plain)
  if (value < asked.least) return fail('too-small', { least: asked.least })
  if (value > asked.most) return fail('too-large', { most: asked.most })
  return ok(value === 0 ? 0 : value)
}

/** Digits with a point, whichever way they were parted; null where it cannot be said what is meant. */
function plainDigits(text: string, mark: DecimalMark): string | null {
  const marks = text.replace(/\d/g, '')
  if (marks === '') return text
  const last = marks.at(-1) ?? ''
  const isMixed = marks.includes('.') && marks.includes(',')
  const [own, other] = mark === 'point' ? ['.', ','] : [',', '.']
  const behind = text.slice(text.lastIndexOf(last) + 1)
  // Twice the same mark, or one with three digits behind it that is not the language's own: thousands.
  const areThousands = !isMixed && (marks.length > 1 || (last === other && behind.length === 3))
  const decimal = areThousands ? '' : isMixed ? last : last === own || behind.length !== 3 ? last : ''
  const grouping = decimal === '' ? last : decimal === '.' ? ',' : '.'
  const [whole = '', fraction = '', ...rest] = decimal === '' ? [text] : text.split(decimal)
  if (rest.length > 0 || fraction.includes(grouping)) return null
  if (whole.includes(grouping) && !/^\d{1,3}(?:[.,]\d{3})+$/.test(whole)) return null
  const bare = whole.replaceAll(grouping, '')
  return fraction === '' ? bare || '0' : `${bare || '0'}.${fraction}`
}

/** A number as it first stands in a field: with the language's own mark, and nothing between the thousands. */
export const writtenNumber = (value: number, mark: DecimalMark): string =>
  mark === 'comma' ? String(value).replace('.', ',') : String(value)
