import assert from 'node:assert/strict'
import { test } from 'node:test'
import { shareOf, surelyBest } from '../../../src/core/clicks/index.ts'

const near = (a: number, b: number): void => assert.ok(Math.abs(a - b) < 0.0006, `${a} is not ${b}`)

test('intervals are Wilson’s: as in published tables', () => {
  for (const [hits, all, low, high] of [
    [0, 10, 0, 0.2775],
    [5, 10, 0.2366, 0.7634],
    [10, 10, 0.7225, 1],
    [1, 29, 0.0061, 0.1717],
    [56, 148, 0.3043, 0.4586],
  ] as const) {
    const found = shareOf(hits, all)
    near(found.low, low)
    near(found.high, high)
  }
  assert.deepEqual(shareOf(0, 0), { share: 0, low: 0, high: 1 })
})

test('the true share lies within in about 95 of a hundred draws (seeded)', () => {
  let state = 11
  const random = (): number => {
    state = (state * 48_271) % 2_147_483_647
    return state / 2_147_483_647
  }
  for (const truth of [0.03, 0.2, 0.5]) {
    let within = 0
    for (let draw = 0; draw < 2_000; draw++) {
      let hits = 0
      for (let i = 0; i < 80; i++) if (random() < truth) hits++
      const { low, high } = shareOf(hits, 80)
      if (low <= truth && truth <= high) within++
    }
    assert.ok(within / 2_000 > 0.92 && within / 2_000 < 0.985, `${truth}: ${within / 2_000}`)
  }
})

test('one is surely the best only where its interval lies above all others', () => {
  assert.equal(surelyBest([shareOf(5, 100), shareOf(40, 100)]), 1)
  assert.equal(surelyBest([shareOf(5, 100), shareOf(9, 100)]), null)
  assert.equal(surelyBest([shareOf(5, 100)]), null)
})
