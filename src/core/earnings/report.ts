import { folded } from '../slugs/index.ts'
import { type DateStyle, dateStyleOf, readDate } from './dates.ts'
import { currencyIn, type DecimalStyle, readMinor, styleOf } from './money.ts'

/** What a column of a partner's report can hold. */
export const REPORT_FIELDS = ['date', 'commission', 'sale', 'currency', 'order', 'sub', 'status'] as const
export type ReportField = (typeof REPORT_FIELDS)[number]

/** Without these nothing can be read. */
export const NEEDED_FIELDS = ['date', 'commission'] as const

export const EARNING_STATES = ['pending', 'confirmed', 'paid', 'reversed'] as const
export type EarningState = (typeof EARNING_STATES)[number]

/** How a partner's reports are read: found out once, confirmed by a person, and remembered. Columns by their names, folded. */
export interface ReportLayout {
  readonly columns: Readonly<Partial<Record<ReportField, string>>>
  readonly decimals: DecimalStyle
  readonly dates: DateStyle
  /** Where no column and no cell names one. */
  readonly currency: string
  /** What becomes of a line that says the same of the same order as one before it: "once", as it is when left out, leaves it out. */
  readonly equalLines?: (typeof EQUAL_LINES)[number] | undefined
}
export const EQUAL_LINES = ['once', 'each'] as const

/** What was found out about a report, and what a person has to say. */
export interface ReportGuess {
  /** Index of the row that names the columns. */
  readonly header: number
  readonly names: readonly string[]
  readonly columns: ReportLayout['columns']
  /** Null where nothing in the file decides; "mixed" where both styles stand in it, with two of the lines. */
  readonly decimals: DecimalStyle | null
  readonly mixed: readonly [number, number] | null
  /** Null where every date could be two. */
  readonly dates: DateStyle | null
  readonly currency: string | null
}

const NAMES: Readonly<Record<ReportField, readonly string[]>> = {
  date: [
    'date',
    'order date',
    'transaction date',
    'event date',
    'sale date',
    'day',
    'datum',
    'bestelldatum',
    'fecha',
    'data',
    'date de commande',
  ],
  commission: [
    'commission',
    'earnings',
    'your commission',
    'commission amount',
    'provision',
    'payout',
    'earned',
    'fee',
    'comision',
    'commissione',
    'amount earned',
    'your share',
  ],
  sale: [
    'sale',
    'sale amount',
    'order value',
    'order amount',
    'basket',
    'value',
    'revenue',
    'umsatz',
    'bestellwert',
    'montant',
    'importe',
    'turnover',
  ],
  currency: ['currency', 'wahrung', 'devise', 'moneda', 'valuta', 'cur'],
  order: [
    'order',
    'order id',
    'order number',
    'order no',
    'transaction',
    'transaction id',
    'reference',
    'booking',
    'booking ref',
    'bestellnummer',
    'auftrag',
    'id',
    'commande',
    'pedido',
  ],
  sub: [
    'sub',
    'sub id',
    'subid',
    'sub-id',
    'click ref',
    'clickref',
    'tracking',
    'tracking id',
    'source',
    'campaign ref',
    'your ref',
    'publisher ref',
    'label',
  ],
  status: ['status', 'state', 'order status', 'commission status', 'zustand', 'etat', 'estado', 'stato'],
}
/** What a column's name is compared by. */
export const columnKey = (name: string): string =>
  folded(name)
    .replace(/[_\s-]+/g, ' ')
    .replace(/[^a-z0-9 ]/g, '')
    .trim()

const HEADER_LOOKED_AT = 30
const ROWS_LOOKED_AT = 20_000

/** Looks at a report's rows and finds out what its columns hold and how it writes numbers and dates. Nothing is decided that the file does not decide. */
export function guessReport(rows: readonly (readonly string[])[]): ReportGuess | null {
  let best: { header: number; columns: ReportGuess['columns']; score: number } | null = null
  for (const [i, row] of rows.slice(0, HEADER_LOOKED_AT).entries()) {
    const columns = columnsNamed(row)
    const score = Object.keys(columns).length
    if (score >= 2 && score > (best?.score ?? 0)) best = { header: i, columns, score }
  }
  if (best === null) return null
  const { header, columns } = best
  const names = (rows[header] ?? []).map((name) => name.trim())
  const seen = rows.slice(header + 1, header + 1 + ROWS_LOOKED_AT)
  const cells = (field: ReportField): string[] => {
    const at = indexOf(names, columns[field])
    return at === -1 ? [] : seen.map((row) => row[at] ?? '')
  }
  const amounts = [...cells('commission'), ...cells('sale')]
  const lineOf = (style: DecimalStyle): number =>
    header + 2 + (amounts.findIndex((cell) => styleOf(cell) === style) % Math.max(1, seen.length))
  const decimals = onlyOne(amounts.map(styleOf).filter((style) => style !== 'neither'))
  const dates = onlyOne(
    cells('date')
      .map(dateStyleOf)
      .filter((style) => style !== 'neither'),
  )
  return {
    header,
    names,
    columns,
    decimals: decimals === 'several' ? null : decimals,
    mixed: decimals === 'several' ? [lineOf('point'), lineOf('comma')] : null,
    dates: dates === 'several' ? null : dates,
    currency:
      cells('currency')
        .find((cell) => /^[A-Za-z]{3}$/.test(cell.trim()))
        ?.trim()
        .toUpperCase() ??
      amounts.map(currencyIn).find((found) => found !== null) ??
      null,
  }
}

function onlyOne<T extends string>(styles: readonly (T | null)[]): T | null | 'several' {
  const said = new Set(styles.filter((style) => style !== null))
  return said.size === 0 ? null : said.size === 1 ? ([...said][0] ?? null) : 'several'
}

function columnsNamed(row: readonly string[]): ReportGuess['columns'] {
  const columns: Partial<Record<ReportField, string>> = {}
  const names = row.map(columnKey)
  for (const field of REPORT_FIELDS) {
    // The more telling names come first; a column is one thing only.
    const name = NAMES[field].map(columnKey).find((wanted) => names.includes(wanted) && !Object.values(columns).includes(wanted))
    if (name !== undefined) columns[field] = name
  }
  return columns
}

const indexOf = (names: readonly string[], name: string | undefined): number =>
  name === undefined ? -1 : names.findIndex((each) => columnKey(each) === columnKey(name))

/** A line of a report. */
export interface ReportLine {
  /** Counts the file's rows from 1. */
  readonly line: number
  /** "2026-11-26". */
  readonly on: string
  /** "" where the report names none. */
  readonly order: string
  readonly sub: string
  readonly commission: number
  readonly sale: number | null
  readonly currency: string
  readonly state: EarningState
  /** By which it is recognised in another report of the partner's. */
  readonly key: string
}
export const LINE_FAULTS = [
  'date-unreadable',
  'amount-unreadable',
  'currency-unknown',
  'state-unknown',
  'header-again',
  'total',
  'equal',
  'too-few-columns',
] as const
export type LineFault = (typeof LINE_FAULTS)[number]
export interface RefusedReportLine {
  readonly line: number
  readonly why: LineFault
  readonly cell: string
}

const STATES: Readonly<Record<EarningState, RegExp>> = {
  pending: /^(?:pending|open|new|tracked|waiting|registered|offen|en attente|pendiente|in attesa|)$/,
  confirmed: /^(?:confirmed|approved|validated|accepted|locked|bestatigt|confirme|confirmado|confermato|closed|ok)$/,
  paid: /^(?:paid|paid out|settled|bezahlt|ausgezahlt|paye|pagado|pagato)$/,
  reversed: /^(?:reversed|declined|rejected|cancelled|canceled|refunded|returned|void|storniert|abgelehnt|annule|cancelado|annullato)$/,
}

/** The row of a report that has all columns of a layout; -1 where none of the first ones has. */
export const headerOf = (rows: readonly (readonly string[])[], layout: ReportLayout): number =>
  rows.slice(0, HEADER_LOOKED_AT).findIndex((row) => row.length > 1 && new ReportReader(layout, row).missing().length === 0)

/**
 * Reads a report line by line, each once. Headers that come again and totals are told apart from orders; a bad line stops no other.
 * @param header - index of the row that names the columns; what stands above it is left out
 */
export class ReportReader {
  readonly #keys: readonly string[]
  readonly #layout: ReportLayout
  readonly #at: Readonly<Record<ReportField, number>>
  /** How often an order, or a line without one, was met: by it, lines that look alike are told apart. */
  readonly #met = new Map<string, number>()
  /** Lines of orders by all that they say. */
  readonly #said = new Map<string, number>()

  constructor(layout: ReportLayout, names: readonly string[]) {
    this.#layout = layout
    this.#keys = names.map(columnKey)
    this.#at = Object.fromEntries(REPORT_FIELDS.map((field) => [field, indexOf(names, layout.columns[field])])) as Record<
      ReportField,
      number
    >
  }

  /** Columns that the layout names and the report has not. */
  missing(): readonly ReportField[] {
    return REPORT_FIELDS.filter((field) => this.#layout.columns[field] !== undefined && this.#at[field] === -1)
  }

  /** @param line - counts the file's rows from 1. @returns null for an empty row */
  read(row: readonly string[], line: number): ReportLine | RefusedReportLine | null {
    if (row.every((cell) => cell.trim() === '')) return null
    const cell = (field: ReportField): string => (row[this.#at[field]] ?? '').trim()
    const refuse = (why: LineFault, what: string): RefusedReportLine => ({ line, why, cell: what.slice(0, 200) })
    if (row.length > 1 && row.every((each, i) => columnKey(each) === this.#keys[i])) return refuse('header-again', row.join(' '))
    const on = readDate(cell('date'), this.#layout.dates)
    if (on === null) {
      const isTotal = row.some((each) => /^(?:grand )?(?:totals?|sum|summe|gesamt|somme|suma|totale|subtotal)\b/i.test(each.trim()))
      if (isTotal || (cell('date') === '' && cell('order') === '' && cell('sub') === '')) return refuse('total', row.join(' ').trim())
      return refuse(row.length < 2 ? 'too-few-columns' : 'date-unreadable', cell('date'))
    }
    const currency = (cell('currency').toUpperCase() || currencyIn(cell('commission')) || this.#layout.currency).trim()
    if (!/^[A-Z]{3}$/.test(currency)) return refuse('currency-unknown', currency)
    const commission = readMinor(cell('commission'), this.#layout.decimals, currency)
    if (commission === null) return refuse('amount-unreadable', cell('commission'))
    const sale = cell('sale') === '' ? null : readMinor(cell('sale'), this.#layout.decimals, currency)
    if (sale === null && cell('sale') !== '') return refuse('amount-unreadable', cell('sale'))
    const said = columnKey(cell('status'))
    const state = (Object.keys(STATES) as EarningState[]).find((each) => STATES[each].test(said))
    if (state === undefined) return refuse('state-unknown', cell('status'))
    const order = cell('order').slice(0, 200)
    const sub = cell('sub').slice(0, 200)
    const whole = JSON.stringify([on, order, sub, commission, sale, currency, state])
    const same = order === '' || this.#layout.equalLines === 'each' ? undefined : this.#said.get(whole)
    if (same !== undefined) return refuse('equal', `line ${same}`)
    this.#said.set(whole, line)
    const name = `${order === '' ? `${on} ${sub} ${Math.abs(commission)}` : order} ${commission < 0 ? '-' : '+'}`
    const nth = this.#met.get(name) ?? 0
    this.#met.set(name, nth + 1)
    return { line, on, order, sub, commission, sale, currency, state, key: `${name} ${nth}` }
  }
}

/** What money of a line there is: nothing of what was taken back. */
export const countedCommission = ({ commission, state }: Pick<ReportLine, 'commission' | 'state'>): number =>
  state === 'reversed' ? 0 : commission
