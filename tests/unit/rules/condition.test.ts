import assert from 'node:assert/strict'
import { test } from 'node:test'
import fc from 'fast-check'
import {
  type Condition,
  compileCondition,
  compileRules,
  factsOf,
  implies,
  type LinkFacts,
  type Rule,
  unheardRules,
} from '../../../src/core/rules/index.ts'

const around = {
  siteHosts: ['slow-ferry.example'],
  shortHosts: [{ host: 'sferry.example', prefix: 'go' }],
  partnerSites: new Set(['gannet-line.example', 'bothy.example']),
  payerOf: (_address: string, site: string) => (site === 'gannet-line.example' ? 'gannet' : site === 'bothy.example' ? 'bothy' : null),
  page: 'https://slow-ferry.example/islands/skarrow',
}
const HREFS = [
  'https://shop.gannet-line.example/x',
  'https://bothy.example/',
  'https://tides.example/a',
  '/about.html',
  '#low',
  '/files/a.pdf',
  'mailto:a@b.example',
  'https://sferry.example/go/smock',
  'https://sferry.example/go/none',
  'nonsense:',
]
const find = (_: string, slug: string): string | null => (slug === 'smock' ? 'https://gannet-line.example/s' : null)
const facts = fc
  .record({
    href: fc.constantFrom(...HREFS),
    page: fc.constantFrom('/', '/islands', '/islands/skarrow', '/islandsville', '/walks/a'),
    part: fc.constantFrom(null, { kind: 'block' as const, name: 'footer' }, { kind: 'menu' as const, name: 'main' }),
    tags: fc.subarray(['spring', 'Boats', 'x']),
    byHand: fc.constantFrom(null, '', 'hints'),
    shows: fc.constantFrom('text' as const, 'picture' as const),
    isSponsored: fc.boolean(),
  })
  .map(
    ({ href, page, part, tags, byHand, shows, isSponsored }): LinkFacts =>
      factsOf(
        { href, rel: null, target: null, byHand, tags: null, shows, baseHref: null, baseTarget: null },
        {
          ...around,
          page: `https://slow-ferry.example${page}`,
          part,
          tags,
          ...(isSponsored ? { sponsor: { name: 'G', sites: ['gannet-line.example'] } } : {}),
        },
        find,
      ),
  )
const test_ = fc.constantFrom<Condition>(
  { is: 'kind', of: ['outside'] },
  { is: 'kind', of: ['partner'] },
  { is: 'kind', of: ['inside page', 'section'] },
  { is: 'kind', of: ['section'] },
  { is: 'partner' },
  { is: 'partner', of: ['gannet'] },
  { is: 'site', of: ['gannet-line.example'] },
  { is: 'site', of: ['shop.gannet-line.example'] },
  { is: 'site', of: ['gannet-line.example', 'tides.example'] },
  { is: 'address', like: 'https://*' },
  { is: 'address', like: 'https://bothy.example/' },
  { is: 'under', of: ['/islands'] },
  { is: 'under', of: ['/islands/skarrow', '/walks'] },
  { is: 'part', of: ['block', 'menu'] },
  { is: 'part', of: ['block'], named: ['footer'] },
  { is: 'part', of: ['page'] },
  { is: 'tag', of: ['spring'] },
  { is: 'tag', of: ['spring', 'boats'] },
  { is: 'origin', of: 'imported' },
  { is: 'shows', of: 'picture' },
  { is: 'sponsored page' },
)
const condition = fc.letrec<{ it: Condition }>((tie) => ({
  it: fc.oneof(
    { depthSize: 'small' },
    test_,
    fc.array(tie('it'), { maxLength: 3 }).map((all) => ({ all })),
    fc.array(tie('it'), { maxLength: 3 }).map((any) => ({ any })),
    tie('it').map((not) => ({ not })),
  ),
})).it

test('and, or and not mean what they say (seeded)', () => {
  fc.assert(
    fc.property(condition, facts, (tree, link) => {
      const evaluate = (c: Condition): boolean =>
        'all' in c ? c.all.every(evaluate) : 'any' in c ? c.any.some(evaluate) : 'not' in c ? !evaluate(c.not) : compileCondition(c)(link)
      assert.equal(compileCondition(tree)(link), evaluate(tree))
    }),
    { seed: 4471, numRuns: 600 },
  )
})

test('what is said to follow does follow, for every link (seeded)', () => {
  let said = 0
  fc.assert(
    fc.property(condition, condition, fc.array(facts, { minLength: 8, maxLength: 8 }), (a, b, links) => {
      if (!implies(a, b)) return
      said++
      for (const link of links) assert.ok(!compileCondition(a)(link) || compileCondition(b)(link), JSON.stringify([a, b, link]))
    }),
    { seed: 4471, numRuns: 4_000 },
  )
  assert.ok(said > 200, `only ${said} times anything was said`)
})

const cases: readonly (readonly [Condition, Condition, boolean])[] = [
  [{ is: 'partner' }, { is: 'kind', of: ['outside'] }, true],
  [{ is: 'kind', of: ['outside'] }, { is: 'partner' }, false],
  [{ is: 'site', of: ['shop.a.example'] }, { is: 'site', of: ['a.example'] }, true],
  [{ is: 'under', of: ['/a/b'] }, { is: 'under', of: ['/a'] }, true],
  [{ is: 'under', of: ['/ab'] }, { is: 'under', of: ['/a'] }, false],
  [{ all: [{ is: 'partner' }, { is: 'tag', of: ['x'] }] }, { is: 'partner' }, true],
  [{ is: 'partner' }, { all: [] }, true],
  [{ not: { is: 'kind', of: ['outside'] } }, { not: { is: 'partner' } }, true],
]
for (const [a, b, follows] of cases)
  test(`${JSON.stringify(a)} ${follows ? 'implies' : 'does not imply'} ${JSON.stringify(b)}`, () => assert.equal(implies(a, b), follows))

const rule = (id: string, when: Condition, what: Rule['what'], more: Partial<Rule> = {}): Rule => ({
  id,
  name: id,
  isOn: true,
  isBinding: false,
  when,
  what,
  ...more,
})

test('rules that are never heard are found, wholly or in part; a binding one is still heard over a hand', () => {
  const outside: Condition = { is: 'kind', of: ['outside'] }
  const found = (rules: readonly Rule[]) =>
    unheardRules(compileRules(rules)).map(({ id, isAll, effects }) => [
      id,
      isAll,
      effects.map(({ effect, by }) => `${effect} ${by}`).join(),
    ])
  assert.deepEqual(found([rule('a', outside, { opens: 'new tab' }), rule('b', { is: 'partner' }, { opens: 'same tab' })]), [
    ['b', true, 'opens 1'],
  ])
  assert.deepEqual(found([rule('a', outside, { opens: 'new tab' }), rule('b', { is: 'partner' }, { opens: 'same tab', hints: [] })]), [
    ['b', false, 'opens 1'],
  ])
  assert.deepEqual(found([rule('a', { is: 'partner' }, { opens: 'new tab' }), rule('b', outside, { opens: 'same tab' })]), [])
  assert.deepEqual(
    found([rule('a', outside, { hints: [] }), rule('b', { is: 'partner' }, { hints: ['sponsored'] }, { isBinding: true })]),
    [],
  )
  assert.deepEqual(found([rule('a', outside, { hints: [] }, { isOn: false }), rule('b', outside, { hints: ['ugc'] })]), [])
})
