import assert from 'node:assert/strict'
import { test } from 'node:test'
import fc from 'fast-check'
import { beginDraft, type Draft, isSame, meet, mergeFields, mergeOrder, take } from '../../../src/ui/merging.ts'

type Row = { to: string; note: string; tags: readonly string[]; status: number }
const BASE: Row = { to: '/a', note: '', tags: [], status: 301 }

test('what one of two changed is kept, whoever it was; what both changed to the same is no conflict', () => {
  const merged = mergeFields(BASE, { ...BASE, note: 'mine', status: 302 }, { ...BASE, to: '/theirs', status: 302 })
  assert.deepEqual(merged, { value: { to: '/theirs', note: 'mine', tags: [], status: 302 }, conflicts: [] })
})

test('what both changed waits to be chosen, and mine stands until then', () => {
  const draft: Draft<Row> = { ...beginDraft(BASE, 1), mine: { ...BASE, to: '/mine', note: 'mine' } }
  const met = meet(draft, { ...BASE, to: '/theirs', status: 410 }, 2)
  assert.deepEqual([met.version, met.mine, met.theirs], [2, { ...BASE, to: '/mine', note: 'mine', status: 410 }, { to: '/theirs' }])
  assert.deepEqual(take(met, 'to', 'theirs').mine.to, '/theirs')
  assert.deepEqual(take(met, 'to', 'mine'), { ...met, theirs: {} })
})

test('a third version before anybody chose: what it says now is what can be taken', () => {
  const draft: Draft<Row> = { ...beginDraft(BASE, 1), mine: { ...BASE, to: '/mine' } }
  const again = meet(meet(draft, { ...BASE, to: '/theirs' }, 2), { ...BASE, to: '/third' }, 3)
  assert.deepEqual([again.mine.to, again.theirs], ['/mine', { to: '/third' }])
  const agreed = meet(again, { ...BASE, to: '/mine' }, 4)
  assert.deepEqual(agreed.theirs, {})
})

test('an older version, or the same, changes nothing', () => {
  const draft = beginDraft(BASE, 3)
  assert.equal(meet(draft, { ...BASE, to: '/old' }, 3), draft)
})

test('nobody’s change is lost: each field is the one that was changed, or waits with both (500 seeded rounds)', () => {
  const row = fc.record({
    to: fc.constantFrom('/a', '/b', '/c'),
    note: fc.constantFrom('', 'x'),
    tags: fc.constantFrom([], ['t']),
    status: fc.constantFrom(301, 302),
  })
  fc.assert(
    fc.property(row, row, row, (base, mine, theirs) => {
      const { value, conflicts } = mergeFields<Row>(base, mine, theirs)
      for (const name of Object.keys(base) as (keyof Row)[]) {
        const [byMe, byThem] = [!isSame(base[name], mine[name]), !isSame(base[name], theirs[name])]
        if (conflicts.includes(name)) assert.ok(byMe && byThem && isSame(value[name], mine[name]))
        else assert.deepEqual(value[name], byMe ? mine[name] : theirs[name])
      }
    }),
    { numRuns: 500, seed: 7 },
  )
})

const orders: readonly (readonly [what: string, base: string, mine: string, theirs: string, both: string | undefined])[] = [
  ['both added', 'abc', 'abcx', 'yabc', 'yabcx'],
  ['one took away, the other added behind it', 'abc', 'ac', 'abxc', 'axc'],
  ['one moved, the other added', 'abc', 'cab', 'abcx', 'cxab'],
  ['both moved to the same', 'abc', 'cab', 'cab', 'cab'],
  ['both moved otherwise', 'abc', 'cab', 'bac', undefined],
]
for (const [what, base, mine, theirs, both] of orders)
  test(`orders put together: ${what}`, () => assert.equal(mergeOrder([...base], [...mine], [...theirs])?.join(''), both))
