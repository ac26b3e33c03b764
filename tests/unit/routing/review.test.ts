import assert from 'node:assert/strict'
import { test } from 'node:test'
import { type Finding, type Redirect, RedirectReview, type ReviewRow, TOLERANCE } from '../../../src/core/routing/index.ts'
import { numbersFrom } from '../writing/numbers.ts'

const rowOf = (id: string, given: Partial<ReviewRow> & Pick<Redirect, 'from' | 'to'>): ReviewRow => ({
  id,
  version: 1,
  isOn: true,
  hosts: [],
  match: 'exact',
  when: {},
  status: 301,
  query: 'pass',
  beatsPages: false,
  order: Number(id.replace(/\D/g, '')),
  ...given,
})

function reviewOf(rows: readonly ReviewRow[], pages: ReadonlySet<string> = new Set(['/a', '/b'])): RedirectReview {
  const review = new RedirectReview({
    tolerance: TOLERANCE,
    origin: 'https://site.example',
    hosts: new Map([
      ['site.example', 'site'],
      ['door.example', 'door'],
    ]),
    hasPage: (path) => pages.has(path),
  })
  for (const row of rows) review.put(row)
  return review
}
const told = (findings: readonly Finding[]) => findings.map(({ kind, id, mend }) => [id, kind, mend])

for (const [name, rows, expected] of [
  ['a way in one step is fine', [rowOf('1', { from: '/x', to: '/a' })], []],
  ['so is one that leaves the site', [rowOf('1', { from: '/x', to: 'https://else.example/' })], []],
  ['several steps are one', [rowOf('1', { from: '/x', to: '/y' }), rowOf('2', { from: '/Y/', to: '/a' })], [['1', 'chain', { to: '/a' }]]],
  [
    'what is for now only is not made lasting',
    [rowOf('1', { from: '/x', to: '/y' }), rowOf('2', { from: '/y', to: '/a', status: 302 })],
    [['1', 'chain', null]],
  ],
  [
    'of a circle none goes by itself: its visitors would come to a missing page',
    [rowOf('1', { from: '/x', to: '/y' }), rowOf('2', { from: '/y', to: '/x' })],
    [
      ['1', 'loop', null],
      ['2', 'loop', null],
    ],
  ],
  [
    'one wide row that keeps several from being reached is to blame, and not each of them',
    [
      rowOf('1', { match: 'under', from: '/', to: '/a' }),
      rowOf('2', { match: 'pattern', from: '/p/:x', to: '/a' }),
      rowOf('3', { match: 'expression', from: '^/q/(.*)$', to: '/a' }),
    ],
    [['1', 'hides', null]],
  ],
  ['a missing page', [rowOf('1', { from: '/x', to: '/none?q=1' })], [['1', 'dead', null]]],
  ['a row under a page', [rowOf('1', { from: '/A/', to: '/b' })], []],
  ['a row under a page, spelt as it is', [rowOf('1', { from: '/a', to: '/b' })], [['1', 'over-page', { isOn: false }]]],
  ['unless it says otherwise', [rowOf('1', { from: '/a', to: '/b', beatsPages: true })], []],
  [
    'the same twice',
    [rowOf('1', { from: '/x', to: '/a' }), rowOf('2', { from: '/X', to: '/a' })],
    [['2', 'duplicate', { isRemoved: true }]],
  ],
  [
    'two that say something else',
    [rowOf('1', { from: '/x', to: '/a' }), rowOf('2', { from: '/x', to: '/b' })],
    [['2', 'contradictory', { isOn: false }]],
  ],
  [
    'a condition that is met whenever another is',
    [
      rowOf('1', { from: '/x', to: '/a', when: { languages: ['de', 'fr'] } }),
      rowOf('2', { from: '/x', to: '/b', when: { languages: ['de'] } }),
    ],
    [['2', 'shadowed', { isOn: false }]],
  ],
  [
    'a condition that is met alone',
    [
      rowOf('1', { from: '/x', to: '/a', when: { languages: ['de'] } }),
      rowOf('2', { from: '/x', to: '/b', when: { languages: ['de', 'fr'] } }),
    ],
    [],
  ],
  [
    'one host before all of them',
    [rowOf('1', { from: '/x', to: '/a' }), rowOf('2', { from: '/x', to: '/b', hosts: ['site.example'] })],
    [],
  ],
  [
    'a pattern below everything under a folder',
    [rowOf('1', { from: '/x', to: '/a', match: 'under' }), rowOf('2', { from: '/x/y/:z', to: '/b', match: 'pattern' })],
    [['2', 'shadowed', { isOn: false }]],
  ],
  ['an open address', [rowOf('1', { from: '/x', to: 'http://else.example/p' })], [['1', 'insecure', { to: 'https://else.example/p' }]]],
  [
    'hosts that differ',
    [rowOf('1', { from: '/x', to: '/a', hosts: ['site.example', 'door.example'] })],
    [['1', 'host-differs', { to: 'https://site.example/a' }]],
  ],
  ['a row that is off', [rowOf('1', { from: '/x', to: '/none', isOn: false })], []],
] as const)
  test(`review: ${name}`, () => assert.deepEqual(told(reviewOf(rows).findings()), expected))

test('what is found after changes is what is found anew (seeded tables, rows and pages that come and go)', () => {
  const paths = ['/a', '/b', '/c', '/d', '/e', '/f']
  for (let seed = 1; seed <= 150; seed++) {
    const pick = numbersFrom(seed)
    const one = <T>(from: readonly T[]): T => from[pick(from.length)] as T
    const pages = new Set(['/a'])
    const rows = new Map<string, ReviewRow>()
    const kept = reviewOf([], pages)
    for (let step = 0; step < 40; step++) {
      const id = String(1 + pick(12))
      const what = pick(10)
      if (what < 6) {
        const row = rowOf(id, {
          from: one(paths),
          to: one([...paths, 'https://else.example/', 'http://else.example/']),
          match: one(['exact', 'exact', 'exact', 'under', 'pattern'] as const),
          isOn: pick(8) > 0,
          beatsPages: pick(6) === 0,
          status: one([301, 302, 410] as const),
          hosts: one([[], [], ['site.example'], ['site.example', 'door.example']]),
          when: one([{}, {}, {}, { languages: ['de'] }]),
        })
        rows.set(id, row)
        kept.put(row)
      } else if (what < 8) {
        rows.delete(id)
        kept.drop(id)
      } else {
        const path = one(paths)
        if (!pages.delete(path)) pages.add(path)
        kept.pageChanged(path)
      }
      if (pick(3) === 0) assert.deepEqual(kept.findings(), reviewOf([...rows.values()], pages).findings(), `seed ${seed}, step ${step}`)
    }
  }
})

test('every mend mends: carried out, its finding is gone (seeded tables)', () => {
  const paths = ['/a', '/b', '/c', '/d', '/e']
  for (let seed = 1; seed <= 200; seed++) {
    const pick = numbersFrom(seed)
    const one = <T>(from: readonly T[]): T => from[pick(from.length)] as T
    const rows = Array.from({ length: 8 }, (_, i) => rowOf(String(i), { from: one(paths), to: one([...paths, 'http://else.example/']) }))
    const review = reviewOf(rows, new Set(['/a']))
    const before = review.findings()
    for (const { id, mend } of before) {
      const row = review.row(id)
      if (mend === null || row === null) continue
      if ('isRemoved' in mend) review.drop(id)
      else review.put({ ...row, ...mend })
    }
    const after = new Set(review.findings().map(({ id, kind }) => `${id} ${kind}`))
    for (const { id, kind, mend } of before) if (mend !== null) assert.ok(!after.has(`${id} ${kind}`), `seed ${seed}: ${id} ${kind}`)
  }
})
