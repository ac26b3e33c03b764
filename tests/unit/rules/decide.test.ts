import assert from 'node:assert/strict'
import { test } from 'node:test'
import fc from 'fast-check'
import { classify, type Surroundings } from '../../../src/core/address/index.ts'
import { compileRules, deliverPage, factsOf, ImpactTally, type Rule, tellReason, wildcard } from '../../../src/core/rules/index.ts'
import { inWords } from '../../../src/words/index.ts'
import { awkwardPages, treeWithout } from '../markup/awkward.ts'

const around: Surroundings = {
  siteHosts: ['slow-ferry.example'],
  shortHosts: [{ host: 'sferry.example', prefix: 'go' }],
  partnerSites: new Set(['gannet-line.example']),
  page: 'https://slow-ferry.example/islands/skarrow',
}
const find = (_host: string, slug: string): string | null => (slug === 'smock' ? 'https://shop.gannet-line.example/smock?p=4471' : null)

function rule(name: string, when: Rule['when'], what: Rule['what'], more: Partial<Rule> = {}): Rule {
  return { id: name, name, isOn: true, isBinding: false, when, what, ...more }
}
const paid = rule('paid', { is: 'partner' }, { hints: ['sponsored', 'nofollow'] })
const outside = rule('outside', { is: 'kind', of: ['outside'] }, { opens: 'new tab' })
const inside = rule('inside', { is: 'kind', of: ['inside page', 'section'] }, { opens: 'same tab' })
const STANDARD = [paid, outside, inside]

const deliver = (html: string, rules: readonly Rule[] = STANDARD): string => deliverPage(html, compileRules(rules), around, find).html

const cases = [
  [
    'marks a partner link and opens it in a new tab',
    '<a href="https://gannet-line.example/a">x</a>',
    STANDARD,
    '<a href="https://gannet-line.example/a" rel="sponsored nofollow noopener" target="_blank">x</a>',
  ],
  [
    'a partner by way of a short link is a partner',
    '<a href="https://sferry.example/go/smock">x</a>',
    STANDARD,
    '<a href="https://sferry.example/go/smock" rel="sponsored nofollow noopener" target="_blank">x</a>',
  ],
  [
    'a short link of ours that leads nowhere is not outside',
    '<a href="https://sferry.example/go/gone">x</a>',
    STANDARD,
    '<a href="https://sferry.example/go/gone">x</a>',
  ],
  [
    'keeps the tokens nobody speaks of',
    '<a rel="me license" href="https://tides.example/">x</a>',
    STANDARD,
    '<a rel="me license noopener" href="https://tides.example/" target="_blank">x</a>',
  ],
  ['takes a new tab off an inside link', '<a target="_blank" href="/timetables">x</a>', STANDARD, '<a href="/timetables">x</a>'],
  [
    'leaves a frame name alone in the same tab',
    '<a target="main" href="/timetables">x</a>',
    STANDARD,
    '<a target="main" href="/timetables">x</a>',
  ],
  [
    'reads destinations from base',
    '<base href="https://tides.example/x/"><a href="y">x</a>',
    STANDARD,
    '<base href="https://tides.example/x/"><a href="y" rel="noopener" target="_blank">x</a>',
  ],
  [
    'tells a link to stay where base would open a tab',
    '<base target="_blank"><a href="/timetables">x</a>',
    STANDARD,
    '<base target="_blank"><a href="/timetables" target="_self">x</a>',
  ],
  [
    'vouching takes nofollow off',
    '<a rel="nofollow me" href="/timetables">x</a>',
    [rule('vouch', { is: 'kind', of: ['inside page'] }, { hints: [] })],
    '<a rel="me" href="/timetables">x</a>',
  ],
  [
    'the first rule that speaks decides',
    '<a href="https://gannet-line.example/">x</a>',
    [rule('ugc', { is: 'kind', of: ['outside'] }, { hints: ['ugc'] }), paid],
    '<a href="https://gannet-line.example/" rel="ugc">x</a>',
  ],
  [
    'hand-set beats a rule',
    '<a data-by-hand="hints opens" href="https://gannet-line.example/">x</a>',
    STANDARD,
    '<a href="https://gannet-line.example/">x</a>',
  ],
  [
    'a binding rule beats the hand',
    '<a data-by-hand="hints opens" href="https://gannet-line.example/">x</a>',
    [{ ...paid, isBinding: true }, outside],
    '<a href="https://gannet-line.example/" rel="sponsored nofollow">x</a>',
  ],
  [
    'a new tab by hand gets its noopener',
    '<a data-by-hand="opens" target="_blank" href="/a">x</a>',
    STANDARD,
    '<a target="_blank" href="/a" rel="noopener">x</a>',
  ],
  [
    'a link that asks for its opener keeps it',
    '<a rel="opener" href="https://tides.example/">x</a>',
    STANDARD,
    '<a rel="opener" href="https://tides.example/" target="_blank">x</a>',
  ],
  [
    'a rule that is off says nothing',
    '<a href="https://tides.example/">x</a>',
    [{ ...outside, isOn: false }],
    '<a href="https://tides.example/">x</a>',
  ],
  ['no rule, no change', '<A HREF=https://tides.example/ TARGET=_blank>x</A>', [], '<A HREF=https://tides.example/ TARGET=_blank>x</A>'],
  [
    'a rule for another part of the site',
    '<a href="https://tides.example/">x</a>',
    [{ ...outside, when: { all: [outside.when, { is: 'under', of: ['/isl', '/shop/'] }] } }],
    '<a href="https://tides.example/">x</a>',
  ],
  [
    'a rule for this part of the site',
    '<a href="https://tides.example/">x</a>',
    [{ ...outside, when: { all: [outside.when, { is: 'under', of: ['/islands/'] }] } }],
    '<a href="https://tides.example/" rel="noopener" target="_blank">x</a>',
  ],
  [
    'a site list means subdomains too',
    '<a href="https://www.shop.tides.example/">x</a>',
    [rule('list', { is: 'site', of: ['tides.example'] }, { hints: ['nofollow'] })],
    '<a href="https://www.shop.tides.example/" rel="nofollow">x</a>',
  ],
  [
    'a picture is not text',
    '<a href="https://tides.example/"><img src=x></a>',
    [rule('pictures', { is: 'shows', of: 'picture' }, { hints: ['nofollow'] })],
    '<a href="https://tides.example/" rel="nofollow"><img src=x></a>',
  ],
  [
    'mail and the unreadable are left alone',
    '<a href="mailto:a@b.example">x</a><a href="http://[">y</a><a href="javascript:x">z</a>',
    STANDARD,
    '<a href="mailto:a@b.example">x</a><a href="http://[">y</a><a href="javascript:x">z</a>',
  ],
] as const
for (const [name, before, rules, after] of cases) {
  test(name, () => {
    assert.equal(deliver(before, rules), after)
    assert.equal(
      deliver(
        after,
        rules.filter((each) => !before.includes('by-hand') || each.isBinding),
      ),
      after,
      'twice equals once',
    )
  })
}

test('says because of whom, attribute by attribute', () => {
  const html = '<a data-by-hand="opens" href="https://gannet-line.example/">x</a>'
  const [found] = deliverPage(html, compileRules(STANDARD), around, find).delivered
  assert.ok(found)
  assert.equal(inWords(tellReason(found.decision.because.hints)), 'rule 1: paid')
  assert.equal(inWords(tellReason(found.decision.because.opens)), 'set by hand')
})

test('delivering twice equals delivering once, and the tree differs only in link attributes', () => {
  fc.assert(
    fc.property(awkwardPages, (html) => {
      const once = deliver(html)
      assert.equal(deliver(once), once)
      assert.equal(treeWithout(once, ['rel', 'target']), treeWithout(html, ['rel', 'target']))
    }),
    { numRuns: 1000 },
  )
})

test('counts what a change would do, by kind of change, and nothing that stays', () => {
  const page = '<a href="https://tides.example/">x</a><a href="https://gannet-line.example/">y</a><a href="/timetables">z</a>'
  const facts = deliverPage(page, [], around, find).delivered.map((each) => each.facts)
  const compare = (before: readonly Rule[], after: readonly Rule[]) => {
    const tally = new ImpactTally<string>(compileRules(before), compileRules(after))
    for (const pageId of ['p1', 'p2']) for (const [i, each] of facts.entries()) tally.add(pageId, each, `${pageId} ${i}`)
    return tally.result()
  }
  const found = compare([paid], STANDARD)
  assert.deepEqual([found.looked, found.links, found.pages, found.groups.length], [6, 4, 2, 2])
  assert.deepEqual(found.groups[0]?.examples, ['p1 0', 'p2 0'])
  assert.deepEqual(compare(STANDARD, STANDARD).links, 0)
})

test('a wildcard stands for any stretch, and only a star does', () => {
  assert.ok(wildcard('https://*.example/shop/*')('https://a.b.Example/shop/'))
  assert.ok(!wildcard('https://*.example/shop/*')('https://a.example/shopping'))
  assert.ok(wildcard('a*a')('aa') && !wildcard('a*a')('a'))
  assert.ok(!wildcard('a.c')('abc'))
})

test('a plain relative address is read as the URL parser reads it (seeded)', () => {
  const segment = fc.constantFrom('a', 'b.html', 'c.pdf', '..', '.', 'Skarrow', 'x~y', '-', '', 'd.tar.gz', '2.5')
  const href = fc
    .tuple(
      fc.constantFrom('', '/', '../', '../../', './', '//'),
      fc.array(segment, { maxLength: 4 }),
      fc.constantFrom('', '/', '#', '#low', '?q', '#a/b'),
    )
    .map(([head, parts, tail]) => head + parts.join('/') + tail)
  const pages = [
    'https://slow-ferry.example/islands/skarrow',
    'https://slow-ferry.example/',
    'https://slow-ferry.example/a/b/c.html',
    'https://other.example/x',
  ]
  fc.assert(
    fc.property(href, fc.constantFrom(...pages), (written, page) => {
      const at = { ...around, page }
      const link = {
        href: written,
        rel: null,
        target: null,
        byHand: null,
        tags: null,
        shows: 'text' as const,
        baseHref: null,
        baseTarget: null,
      }
      const facts = factsOf(link, at, find)
      const url = URL.canParse(written, page) ? new URL(written, page) : null
      assert.deepEqual([facts.address, facts.host, facts.kind], [url?.href ?? null, url?.hostname ?? '', classify(written, at)])
    }),
    { seed: 4471, numRuns: 3_000 },
  )
})

const effects = [
  [
    'a title names the site',
    { title: 'Leads to {site}' },
    '<a href="https://tides.example/">x</a>',
    '<a href="https://tides.example/" title="Leads to tides.example">x</a>',
  ],
  ['an empty title takes one off', { title: '' }, '<a title="y" href="/a">x</a>', '<a href="/a">x</a>'],
  [
    'a referrer policy',
    { referrer: 'no-referrer' },
    '<a href="/a" referrerpolicy="origin">x</a>',
    '<a href="/a" referrerpolicy="no-referrer">x</a>',
  ],
  [
    'a referrer policy in other letters is the same',
    { referrer: 'origin' },
    '<a href="/a" referrerpolicy=ORIGIN>x</a>',
    '<a href="/a" referrerpolicy=ORIGIN>x</a>',
  ],
  ['nothing is said aloud in the same tab', { spoken: 'opens in a new tab' }, '<a href="/a">x</a>', '<a href="/a">x</a>'],
  [
    'a new tab is said aloud behind the words',
    { spoken: 'opens in a new tab' },
    '<a href="/a" target="_blank">The <b>tide</b> &amp; boat</a>',
    '<a href="/a" aria-label="The tide &amp; boat, opens in a new tab" target="_blank">The <b>tide</b> &amp; boat</a>',
  ],
  [
    'behind a label that is there',
    { spoken: 'new tab' },
    '<a aria-label="Low" href="/a" target="_blank">x</a>',
    '<a aria-label="Low, new tab" href="/a" target="_blank">x</a>',
  ],
  [
    'and not for a link without words',
    { spoken: 'new tab' },
    '<a href="/a" target="_blank"><img src=a></a>',
    '<a href="/a" target="_blank"><img src=a></a>',
  ],
  ['no mark on a picture', { mark: true }, '<a href="/a"><img src=a alt=y></a>', '<a href="/a"><img src=a alt=y></a>'],
] as const
for (const [name, what, before, after] of effects)
  test(name, () => {
    const rules = [rule('e', { all: [] }, what)]
    assert.equal(deliver(before, rules), after)
    assert.equal(deliver(after, rules), after, 'twice is once')
  })

test('an arrow behind the words comes and goes, and leaves the link’s own style alone', () => {
  const [on, off] = [true, false].map((mark) => [rule('m', { all: [] }, { mark })])
  const before = '<a href="/a" style="color: red">x</a>'
  const marked = deliver(before, on)
  assert.match(marked, /style="color: red;padding-right:[^"]*data:image\/svg\+xml/)
  assert.equal(deliver(marked, on), marked)
  assert.equal(deliver(marked, off), before)
})

test('a binding rule that comes later still speaks where an earlier one gives way to the hand', () => {
  const rules = [
    rule('first', { is: 'partner' }, { hints: ['ugc'] }),
    rule('second', { is: 'partner' }, { hints: ['sponsored'] }, { isBinding: true }),
  ]
  assert.equal(
    deliver('<a data-by-hand="hints" href="https://gannet-line.example/">x</a>', rules),
    '<a href="https://gannet-line.example/" rel="sponsored">x</a>',
  )
})

test('an impact tells who decides instead, and which rules contradict each other', () => {
  const hand = '<a data-by-hand="hints" href="https://gannet-line.example/1">x</a>'
  const html = `${hand}<a href="https://gannet-line.example/2">x</a><a href="https://tides.example/">x</a>`
  const after = compileRules([
    rule('outside', { is: 'kind', of: ['outside'] }, { hints: ['nofollow'] }),
    rule('paid', { is: 'partner' }, { hints: ['sponsored'] }),
  ])
  const tally = new ImpactTally<string>([], after)
  for (const { link, facts } of deliverPage(html, [], around, find).delivered) tally.add('/a', facts, link.href)
  const found = tally.result()
  assert.deepEqual([found.links, found.byPage, found.bySite.length], [2, [{ name: '/a', links: 2 }], 2])
  const paidShare = found.rules.find(({ id }) => id === 'paid')
  assert.deepEqual(
    [paidShare?.means, paidShare?.decides, paidShare?.instead.map(({ reason, links }) => [reason.by, links])],
    [
      2,
      0,
      [
        ['hand', 1],
        ['rule', 1],
      ],
    ],
  )
  assert.deepEqual(found.conflicts, [{ effect: 'hints', heard: 1, unheard: 2, links: 2 }])
})
