/** In which order a report writes day, month and year. */
export const DATE_STYLES = ['year first', 'day first', 'month first'] as const
export type DateStyle = (typeof DATE_STYLES)[number]

const MONTHS = 'jan feb mar apr may jun jul aug sep oct nov dec'.split(' ')
const OTHER_MONTHS: Readonly<Record<string, number>> = {
  mär: 3,
  mrz: 3,
  mai: 5,
  okt: 10,
  dez: 12,
  fév: 2,
  avr: 4,
  jui: 6,
  aoû: 8,
  déc: 12,
  ene: 1,
  abr: 4,
  ago: 8,
  dic: 12,
}

interface Parts {
  readonly numbers: readonly [number, number, number]
  /** Where the parts can only be in one order. */
  readonly style: DateStyle | null
}

function partsOf(cell: string): Parts | null {
  const text = cell.trim().replace(/[T ]\d{1,2}:\d{2}(?::\d{2}(?:\.\d+)?)?\s*(?:[AP]M)?\s*(?:Z|UTC|[+-]\d{2}:?\d{2})?$/i, '')
  const compact = /^(\d{4})(\d{2})(\d{2})$/.exec(text)
  const [, a = '', b = '', c = ''] =
    compact ??
    /^(\d{1,4})[-/. ]+(\d{1,2}|\p{L}{3,9}\.?)[-/., ]+(\d{1,4})$/u.exec(text) ??
    /^(\p{L}{3,9})\.? (\d{1,2}),? (\d{4})$/u.exec(text) ??
    []
  if (c === '') return null
  const named = monthNamed(b)
  const [first, second, third] = [monthNamed(a) ?? Number(a), named ?? Number(b), Number(c)]
  if ([first, second, third].some(Number.isNaN)) return null
  const numbers = [first, second, third] as const
  if (a.length === 4) return { numbers, style: 'year first' }
  if (monthNamed(a) !== null) return { numbers, style: 'month first' }
  if (named !== null || first > 12) return { numbers, style: 'day first' }
  return { numbers, style: second > 12 ? 'month first' : null }
}

function monthNamed(word: string): number | null {
  const short = word.slice(0, 3).toLowerCase()
  const at = MONTHS.indexOf(short)
  return at !== -1 ? at + 1 : (OTHER_MONTHS[short] ?? null)
}

/** Which style a date can only be of; null where it could be two, "neither" where it is no date. */
export function dateStyleOf(cell: string): DateStyle | 'neither' | null {
  const parts = partsOf(cell)
  return parts === null ? 'neither' : parts.style
}

/** Reads a date as "2026-11-26"; null where it is none of this style, or no day of the calendar. */
export function readDate(cell: string, style: DateStyle): string | null {
  const parts = partsOf(cell)
  if (parts === null || (parts.style !== null && parts.style !== style)) return null
  const [a, b, c] = parts.numbers
  const [year, month, day] = style === 'year first' ? [a, b, c] : style === 'day first' ? [c, b, a] : [c, a, b]
  const whole = year < 100 ? 2000 + year : year
  const date = new Date(Date.UTC(whole, month - 1, day))
  const isReal = date.getUTCFullYear() === whole && date.getUTCMonth() === month - 1 && date.getUTCDate() === day
  return isReal && whole >= 1990 && whole <= 2200 ? date.toISOString().slice(0, 10) : null
}
