import assert from 'node:assert/strict'
import { test } from 'node:test'
import { type Judged, type Standing, standingAfter, untilNextLook } from '../../../src/core/checks/index.ts'

const DAY = 86_400_000
const lands: Judged = { verdict: 'lands', at: 0, status: 200, sectionsMissing: [] }
const missing: Judged = { verdict: 'missing', at: 0, status: 404, fault: null }
const moved: Judged = { verdict: 'moved', at: 0, to: 'https://tides.example/b' }
const plain = { isPaid: false, isPartners: false, clicks: 0 }

test('one look is enough for a first verdict', () => {
  const first = standingAfter(null, { judged: [missing], ms: 1, at: 5 })
  assert.deepEqual([first.verdict, first.isBroken, first.since, first.doubts], ['missing', true, 5, 0])
})

test('what was well is asked again after ten minutes, two hours and twelve before it is called broken', () => {
  let standing = standingAfter(null, { judged: [lands], ms: 1, at: 0 })
  const waits: number[] = []
  let at = 1
  for (; !standing.isBroken; at++) {
    standing = standingAfter(standing, { judged: [missing], ms: 1, at })
    if (!standing.isBroken) waits.push(untilNextLook(standing, plain, 0.5) / 60_000)
  }
  assert.deepEqual(waits, [10, 120, 720])
  assert.deepEqual([standing.verdict, standing.since], ['missing', 4])
  const well = standingAfter(standing, { judged: [lands], ms: 1, at: 9 })
  assert.deepEqual([well.verdict, well.isBroken, well.since], ['lands', false, 9])
})

test('one bad look among good ones changes nothing of what is said', () => {
  const well = standingAfter(null, { judged: [lands], ms: 1, at: 0 })
  const doubted = standingAfter(well, { judged: [missing], ms: 1, at: 1 })
  assert.deepEqual([doubted.verdict, doubted.isBroken, doubted.doubts], ['lands', false, 1])
  const again = standingAfter(doubted, { judged: [lands], ms: 1, at: 2 })
  assert.deepEqual([again.since, again.doubts], [0, 0])
})

test('what is said besides is said at once, and since when is told of all that is said', () => {
  const well = standingAfter(null, { judged: [lands], ms: 1, at: 0 })
  const other = standingAfter(well, { judged: [moved, lands], ms: 1, at: 7 })
  assert.deepEqual([other.verdict, other.also, other.since], ['moved', ['lands'], 7])
})

test('slow looks are counted while they are in a row', () => {
  const slow = (before: Standing | null): Standing => standingAfter(before, { judged: [lands], ms: 11_000, at: 0 })
  assert.equal(slow(slow(null)).slow, 2)
  assert.equal(standingAfter(slow(null), { judged: [lands], ms: 10, at: 0 }).slow, 0)
})

/** Seeded answers over simulated months, held against a plain list of what was seen. */
test('over a year of seeded answers no destination is asked too often or forgotten, and what is said follows what was seen', () => {
  for (let seed = 1; seed <= 40; seed++) {
    let state = seed
    const next = (): number => {
      state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0
      return state / 2 ** 32
    }
    const importance = { isPaid: seed % 4 === 0, isPartners: seed % 5 === 0, clicks: seed % 3 === 0 ? 500 : 0 }
    let standing: Standing | null = null
    const seen: boolean[] = []
    let [at, looks, isDown] = [0, 0, next() < 0.2]
    while (at < 365 * DAY) {
      if (next() < 0.15) isDown = !isDown
      const before: Standing | null = standing
      standing = standingAfter(before, { judged: [isDown ? missing : lands], ms: 1, at })
      seen.push(isDown)
      looks++
      // By the plain list: broken where it was found so at once, or four times in a row since it was well.
      const run = seen.length - 1 - seen.lastIndexOf(!isDown)
      const isBroken: boolean = isDown && (run === seen.length || (before as Standing | null)?.isBroken === true || run >= 4)
      assert.equal(standing.isBroken, isBroken, `seed ${seed}, look ${looks}`)
      const wait = untilNextLook(standing, importance, next())
      assert.ok(wait >= (standing.doubts > 0 ? 10 * 60_000 : importance.isPartners ? 7 * DAY : 0.85 * DAY) && wait <= 1.15 * 30 * DAY)
      if (isBroken || importance.isPaid) assert.ok(wait <= 1.15 * 7 * DAY)
      at += wait
    }
    assert.ok(looks >= 12, `seed ${seed}: ${looks} looks in a year`)
  }
})
