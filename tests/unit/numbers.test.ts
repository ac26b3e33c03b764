import assert from 'node:assert/strict'
import { test } from 'node:test'
import fc from 'fast-check'
import { decimalMarkOf, type NumberAsked, readNumber, writtenNumber } from '../../src/core/numbers/index.ts'

const PERCENT: NumberAsked = { unit: 'percent', least: 0, most: 100, digits: 2 }
const DAYS: NumberAsked = { unit: 'days', least: 0, most: 3_650, digits: 0 }
const ANY: NumberAsked = { unit: 'number', least: -1e9, most: 1e9, digits: 4 }
const said = (typed: string, asked: NumberAsked, mark: 'point' | 'comma' = 'point'): number | string => {
  const read = readNumber(typed, asked, mark)
  return read.ok ? read.value : read.fault
}

const cases: readonly (readonly [typed: string, asked: NumberAsked, point: number | string, comma?: number | string])[] = [
  ['8.5', PERCENT, 8.5],
  ['8,5', PERCENT, 8.5],
  ['8 %', PERCENT, 8],
  ['8,25 Prozent', PERCENT, 8.25],
  ['12.25', PERCENT, 12.25],
  ['12.255', PERCENT, 'too-many-digits', 'too-large'],
  ['.5', PERCENT, 0.5],
  ['100,00', PERCENT, 100],
  ['101', PERCENT, 'too-large'],
  ['-1', PERCENT, 'too-small'],
  ['eight', PERCENT, 'not-a-number'],
  ['', PERCENT, 'not-a-number'],
  ['8 days', PERCENT, 'other-unit'],
  ['30 days', DAYS, 30],
  ['30 Tage', DAYS, 30],
  ['30d', DAYS, 30],
  ['4 weeks', DAYS, 'other-unit'],
  ['30.5', DAYS, 'not-whole'],
  ['30.0', DAYS, 30],
  ['1,000', DAYS, 1_000, 1],
  ['1.000', DAYS, 1, 1_000],
  ['1 000', DAYS, 1_000],
  ['1.234.567', ANY, 1_234_567],
  ['1,234.5', ANY, 1_234.5],
  ['1.234,5', ANY, 1_234.5],
  ['1,2,3', ANY, 'not-a-number'],
  ['1,23,456', ANY, 'not-a-number'],
  ['1.2.3,4', ANY, 'not-a-number'],
  ['−2', ANY, -2],
]
for (const [typed, asked, point, comma = point] of cases)
  test(`“${typed}” of ${asked.unit} is ${point} with a point, ${comma} with a comma`, () => {
    assert.equal(said(typed, asked, 'point'), point)
    assert.equal(said(typed, asked, 'comma'), comma)
  })

test('what a field shows of a number is read as that number again', () => {
  fc.assert(
    fc.property(
      fc.integer({ min: -1_000_000_000, max: 1_000_000_000 }),
      fc.constantFrom('point' as const, 'comma' as const),
      (whole, mark) => {
        for (const value of [whole, whole / 100]) {
          const read = readNumber(writtenNumber(value, mark), { ...ANY, digits: 4 }, mark)
          // Three digits behind the language's own mark are never thousands.
          assert.deepEqual(read, { ok: true, value: value === 0 ? 0 : value })
        }
      },
    ),
  )
})

test('languages part numbers by their own mark', () => {
  assert.deepEqual(['en', 'de', 'fr-CA', 'de-CH'].map(decimalMarkOf), ['point', 'comma', 'comma', 'point'])
})
