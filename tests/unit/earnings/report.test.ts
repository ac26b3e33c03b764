import assert from 'node:assert/strict'
import { test } from 'node:test'
import {
  guessReport,
  isPaymentLate,
  nextPayDay,
  plainAmount,
  type ReportLayout,
  ReportReader,
  readDate,
  readMinor,
  styleOf,
} from '../../../src/core/earnings/index.ts'

const AMOUNTS: readonly (readonly [cell: string, style: 'point' | 'comma', currency: string, minor: number | null])[] = [
  ['12.30', 'point', 'EUR', 1230],
  ['€ 1,234.50', 'point', 'EUR', 123450],
  ['1.234,5', 'comma', 'EUR', 123450],
  ['12', 'comma', 'EUR', 1200],
  ['-3,20 EUR', 'comma', 'EUR', -320],
  ['(4.00)', 'point', 'GBP', -400],
  ['4.00-', 'point', 'GBP', -400],
  ['1 234,56', 'comma', 'EUR', 123456],
  ["1'234.56", 'point', 'CHF', 123456],
  ['1200', 'point', 'JPY', 1200],
  ['0.1250', 'point', 'KWD', 125],
  ['.5', 'point', 'EUR', 50],
  ['0.10', 'point', 'EUR', 10],
  ['12.345', 'point', 'EUR', null],
  ['12.30', 'comma', 'EUR', null],
  ['1,2,3', 'point', 'EUR', null],
  ['ten', 'point', 'EUR', null],
  ['', 'point', 'EUR', null],
  ['90071992547409.92', 'point', 'EUR', null],
  ['1e3', 'point', 'EUR', null],
  ['1.5', 'point', 'JPY', null],
  ['1.000', 'point', 'EUR', 100],
]
for (const [cell, style, currency, minor] of AMOUNTS)
  test(`“${cell}” by decimal ${style} in ${currency} is ${minor}`, () => {
    assert.equal(readMinor(cell, style, currency), minor)
  })

test('an amount that is written out is read as the same (every cent up to 2,000, three currencies)', () => {
  for (const currency of ['EUR', 'JPY', 'KWD'])
    for (let minor = -2_000; minor <= 2_000; minor++) assert.equal(readMinor(plainAmount({ minor, currency }), 'point', currency), minor)
})

test('what can be either style says so', () => {
  assert.deepEqual(['1,234', '1.234', '12', '1,23', '1.234,00', '1,234.00', '1.2.3', 'x'].map(styleOf), [
    null,
    null,
    null,
    'comma',
    'comma',
    'point',
    'neither',
    null,
  ])
})

const DATES: readonly (readonly [cell: string, style: 'year first' | 'day first' | 'month first', day: string | null])[] = [
  ['2026-11-03', 'year first', '2026-11-03'],
  ['2026-11-03T10:20:30Z', 'year first', '2026-11-03'],
  ['03.11.2026', 'day first', '2026-11-03'],
  ['03/11/2026', 'month first', '2026-03-11'],
  ['13/11/2026', 'month first', null],
  ['31/02/2026', 'day first', null],
  ['3 Nov 2026', 'day first', '2026-11-03'],
  ['Nov 3, 2026', 'month first', '2026-11-03'],
  ['20261103', 'year first', '2026-11-03'],
  ['3/11/26 14:05', 'day first', '2026-11-03'],
  ['Total', 'day first', null],
  ['', 'year first', null],
]
for (const [cell, style, day] of DATES)
  test(`“${cell}”, ${style}, is ${day}`, () => {
    assert.equal(readDate(cell, style), day)
  })

const rowsOf = (text: string): string[][] => text.split('\n').map((line) => line.split(';'))

test('a report tells what its columns are and how it writes, and what it does not tell is asked for', () => {
  const guess = guessReport(
    rowsOf('Report of Tidemark\n\nBestelldatum;Provision;Bestellnummer;Sub-ID\n03.11.2026;1,20;A1;k2f9\n14.11.2026;12,00;A2;'),
  )
  assert.deepEqual(
    [guess?.header, guess?.columns, guess?.decimals, guess?.dates, guess?.currency],
    [2, { date: 'bestelldatum', commission: 'provision', order: 'bestellnummer', sub: 'sub id' }, 'comma', 'day first', null],
  )
  const unsure = guessReport(rowsOf('Date;Commission;Currency\n03/04/2026;1,234;EUR'))
  assert.deepEqual([unsure?.decimals, unsure?.dates, unsure?.currency], [null, null, 'EUR'])
  const mixed = guessReport(rowsOf('Date;Commission\n2026-01-01;1,20\n2026-01-02;3.40'))
  assert.deepEqual([mixed?.decimals, mixed?.mixed], [null, [3, 2]])
  assert.equal(guessReport(rowsOf('a picture;of nothing')), null)
})

const LAYOUT: ReportLayout = {
  columns: { date: 'date', commission: 'commission', order: 'order id', sub: 'sub id', status: 'status' },
  decimals: 'point',
  dates: 'year first',
  currency: 'EUR',
}
const read = (text: string, layout = LAYOUT) => {
  const [names = [], ...rows] = rowsOf(text)
  const reader = new ReportReader(layout, names)
  return rows.map((row, i) => reader.read(row, i + 2))
}

test('headers that come again, totals and bad cells are told by line, and stop no other line', () => {
  const lines = read(
    'Date;Commission;Order ID;Sub ID;Status\n2026-11-03;1.20;A1;k2;approved\nDate;Commission;Order ID;Sub ID;Status\nyesterday;1.00;A2;;\n2026-11-03;1,20;A3;;\n2026-11-04;2.00;A4;;odd\n;;;;\nTotal;4.20;;;',
  )
  assert.deepEqual(
    lines.map((line) => (line === null ? null : 'why' in line ? `${line.line} ${line.why}` : line.state)),
    ['confirmed', '3 header-again', '4 date-unreadable', '5 amount-unreadable', '6 state-unknown', null, '8 total'],
  )
})

test('a line that says the same of the same order as one before it counts once, unless each is said to count', () => {
  const text =
    'Date;Commission;Order ID;Sub ID;Status\n2026-11-03;1.20;A1;k2;pending\n2026-11-03;1.20;A1;k2;pending\n2026-11-03;1.30;A1;k2;pending\n2026-11-03;1.20;;k2;\n2026-11-03;1.20;;k2;'
  const told = (layout: ReportLayout) =>
    read(text, layout).map((line) => (line !== null && 'why' in line ? `${line.why} ${line.cell}` : 'counts'))
  assert.deepEqual(told(LAYOUT), ['counts', 'equal line 2', 'counts', 'counts', 'counts'])
  assert.deepEqual(told({ ...LAYOUT, equalLines: 'each' }), Array(5).fill('counts'))
})

test('the same order in another report is known for the same, a reversal of it and a second sale are not', () => {
  const keys = (text: string): string[] =>
    read(`Date;Commission;Order ID;Sub ID;Status\n${text}`).map((line) => (line !== null && 'key' in line ? line.key : ''))
  const [first] = keys('2026-11-03;1.20;A1;k2;pending')
  assert.deepEqual(
    keys('2026-12-01;1.10;A1;k2;approved\n2026-12-01;-1.20;A1;k2;reversed\n2026-12-02;1.20;A1;k2;').map((key) => key === first),
    [true, false, false],
  )
  assert.deepEqual(keys('2026-11-03;1.20;;k2;\n2026-11-03;1.20;;k2;'), keys('2026-11-03;1.20;;k2;paid\n2026-11-03;1.20;;k2;'))
})

const MONTHLY = { every: 'month', day: 31, afterMonths: 1, threshold: 5_000 } as const
test('the next pay day follows the terms, once the threshold is reached', () => {
  assert.equal(nextPayDay(MONTHLY, '2026-11-26', 4_999, '2026-11-02'), null)
  assert.equal(nextPayDay(MONTHLY, '2026-11-26', 5_000, '2026-11-02'), '2026-12-31')
  assert.equal(nextPayDay({ ...MONTHLY, every: 'quarter', day: 15 }, '2026-11-26', 9_000, '2026-11-02'), '2027-01-15')
  assert.equal(nextPayDay({ ...MONTHLY, day: 31, afterMonths: 2 }, '2026-12-20', 9_000, '2026-12-02'), '2027-02-28')
  assert.equal(nextPayDay({ ...MONTHLY, every: null }, '2026-11-26', 9_000, '2026-11-02'), null)
})

test('a payment that should have come and did not is late, some days after its day', () => {
  assert.equal(isPaymentLate({ ...MONTHLY, day: 15 }, '2026-12-20', 6_000, '2026-11-02'), false)
  assert.equal(isPaymentLate({ ...MONTHLY, day: 15 }, '2026-12-27', 6_000, '2026-11-02'), true)
  assert.equal(isPaymentLate({ ...MONTHLY, day: 15 }, '2026-12-27', 4_000, '2026-11-02'), false)
})
