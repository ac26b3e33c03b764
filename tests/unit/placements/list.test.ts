import assert from 'node:assert/strict'
import { test } from 'node:test'
import { readPage } from '../../../src/core/content/index.ts'
import {
  FACETS,
  type Facet,
  PlacementList,
  type PlacementPage,
  paidMost,
  readPlacement,
  sendPlacement,
} from '../../../src/core/placements/index.ts'
import { compileSite, type Rule, withShortLinks } from '../../../src/core/rules/index.ts'

const rules: Rule[] = [
  { id: 'p', name: 'paid', isOn: true, isBinding: false, when: { is: 'partner', of: ['g'] }, what: { hints: ['sponsored'] } },
  {
    id: 'o',
    name: 'out',
    isOn: true,
    isBinding: false,
    when: { all: [{ is: 'kind', of: ['outside'] }, { not: { is: 'under', of: ['/plain'] } }] },
    what: { opens: 'new tab' },
  },
  { id: 'own', name: 'Own words', isOn: true, isBinding: false, when: { is: 'site', of: ['bothy.example'] }, what: { hints: [] } },
]
const site = withShortLinks(
  compileSite(
    {
      siteId: 's',
      name: 'S',
      hosts: [{ id: 'h', host: 'slow-ferry.example', kind: 'site', prefix: '' }],
      partners: [
        { id: 'g', name: 'Gannet', sites: ['gannet.example'], template: '', account: '' },
        { id: 'b', name: 'Bothy', sites: ['bothy.example'], template: '', account: '' },
      ],
      rules,
    },
    443,
  ),
  () => null,
)
const encoder = new TextEncoder()

function listOf(pages: Readonly<Record<string, string>>, more: Partial<PlacementPage> = {}): PlacementList {
  const list = new PlacementList(site, { paths: new Set(Object.keys(pages)), fine: new Map() }, { keepsTags: true })
  for (const [path, html] of Object.entries(pages)) {
    const read = readPage(encoder.encode(html), 'utf-8', path)
    const page: PlacementPage = {
      id: path,
      path,
      title: path,
      kind: 'page',
      version: 1,
      writtenFor: null,
      tags: path === '/b/c.html' ? ['winter'] : [],
      words: read.words,
      waiting: [],
      baseHref: null,
      baseTarget: null,
      ...more,
    }
    // As it travels: sent and read again.
    list.add(
      read.placements.map((placement) =>
        readPlacement([page], JSON.parse(JSON.stringify(sendPlacement(0, { ...placement, written: placement }, false)))),
      ),
    )
  }
  return list
}
const PAGES = {
  '/a.html':
    '<p><a href="https://gannet.example/1">smock</a> <a href="https://shop.gannet.example/2" data-tags="Spring">here</a></p><p><a href="https://bothy.example/">bunks</a></p>',
  '/b/c.html': '<a href="/a.html">a</a><a href="/none.html">gone</a><a href="https://tides.example/x">https://tides.example/x</a>',
  '/plain/d.html':
    '<a href="https://tides.example/x#y"><img src=a></a><a href="http://tides.example/z">z</a><a href="https://slow-ferry.example/a.html">full</a><a href="mailto:a@b.example"></a>',
}
const texts = (list: PlacementList, found: Uint32Array): string[] => [...found].map((i) => list.judgedAt(i)?.placement.text ?? '')
/** All of a list whose rows were put in the order of their pages. */
const judgedOf = (list: PlacementList) => Array.from({ length: list.total }, (_, i) => list.judgedAt(i)).filter((each) => each !== null)
const findings = (list: PlacementList) =>
  Object.fromEntries(
    judgedOf(list)
      .map(({ placement }, i) => [`${placement.page.path} ${placement.ordinal}`, list.findingsAt(i).join()])
      .filter(([, found]) => found !== ''),
  )

test('every placement is judged as the page it stands on would be delivered', () => {
  const list = listOf(PAGES)
  assert.deepEqual(
    judgedOf(list)
      .slice(0, 3)
      .map(({ decision }) => [decision.rel, decision.target]),
    [
      ['sponsored noopener', '_blank'],
      ['sponsored noopener', '_blank'],
      ['noopener', '_blank'],
    ],
  )
})

test('facets narrow together, and each is counted as if another of its values were chosen', () => {
  const list = listOf(PAGES)
  const all = list.ask({})
  assert.equal(all.found.length, 10)
  assert.deepEqual(all.counts.partner, [
    ['g', 2],
    ['b', 1],
  ])
  const narrowed = list.ask({ facets: { site: 'gannet.example', strand: 'sponsored' } })
  assert.deepEqual(texts(list, narrowed.found), ['smock', 'here'])
  assert.deepEqual(narrowed.counts.host, [
    ['gannet.example', 1],
    ['shop.gannet.example', 1],
  ])
  assert.deepEqual(narrowed.counts.site, [['gannet.example', 2]], 'of the other sites nothing is sponsored')
  assert.deepEqual(list.ask({ facets: { tag: 'winter' } }).found.length, 3)
  assert.deepEqual(texts(list, list.ask({ facets: { tag: 'spring' } }).found), ['here'])
  assert.deepEqual(texts(list, list.ask({ text: 'TIDES z' }).found), ['z'])
  assert.equal(list.ask({ facets: { site: 'nowhere.example' } }).found.length, 0)
})

test('the counts agree with what choosing would find', () => {
  const list = listOf(PAGES)
  for (const chosen of [{}, { where: 'page' }, { strand: 'vouched' }, { site: 'tides.example', end: 'same tab' }] as const) {
    const { counts } = list.ask({ facets: chosen })
    for (const facet of FACETS)
      for (const [value, links] of counts[facet])
        assert.equal(
          list.ask({ facets: { ...chosen, [facet]: value } as Partial<Record<Facet, string>> }).found.length,
          links,
          `${facet} ${value}`,
        )
  }
})

test('destinations are grouped under one spelling', () => {
  const list = listOf({
    '/a.html': '<a href="https://TIDES.example:443/x">1</a><a href="https://tides.example/x?">2</a><a href="https://tides.example/y">3</a>',
  })
  assert.deepEqual(list.group({}).slice(0), [
    { destination: 'https://tides.example/x', links: 2, pages: 1 },
    { destination: 'https://tides.example/y', links: 1, pages: 1 },
  ])
})

test('finds what a careful editor would mend', () => {
  assert.deepEqual(findings(listOf(PAGES)), {
    '/a.html 1': 'many paid in a paragraph,says little',
    '/a.html 2': 'unmarked',
    '/b/c.html 1': 'does not land',
    '/b/c.html 2': 'bare address',
    '/plain/d.html 0': 'same tab,picture without words',
    '/plain/d.html 1': 'same tab,http',
    '/plain/d.html 2': 'own domain',
    '/plain/d.html 3': 'no words',
  })
  assert.deepEqual(findings(listOf({ '/x': '<a rel=sponsored target=_blank href="https://tides.example/">x</a>' })), {
    '/x 0': 'no partner',
  })
  assert.equal(findings(listOf({ '/plain/x': '<a target=_blank href="https://tides.example/">x</a>' }))['/plain/x 0'], 'no noopener')
})

test('an article bears three paid links, a long one more', () => {
  assert.deepEqual([0, 1_200, 1_599, 1_600, 2_400].map(paidMost), [3, 3, 3, 4, 6])
  const five = Array.from({ length: 5 }, (_, i) => `<p><a href="https://gannet.example/${i}">x${i}</a></p>`).join('')
  assert.deepEqual(findings(listOf({ '/x.html': five })), { '/x.html 3': 'many paid on a page', '/x.html 4': 'many paid on a page' })
  assert.deepEqual(findings(listOf({ '/x.html': five }, { words: 2_000 })), {})
})

test('a tag that was cut travels with what it says', () => {
  const page: PlacementPage = {
    id: 'x',
    path: '/x',
    title: 'x',
    kind: 'page',
    version: 1,
    writtenFor: null,
    tags: [],
    words: 1,
    waiting: [],
    baseHref: null,
    baseTarget: null,
  }
  const written = {
    href: 'https://tides.example/',
    rel: 'me',
    target: '_top',
    byHand: 'hints',
    tags: 'a, b',
    shows: 'picture' as const,
    baseHref: null,
    baseTarget: null,
  }
  const placement = { ordinal: 3, start: 9, tag: '<a title="xxx', text: 'x', paragraph: 2, written }
  assert.deepEqual(readPlacement([page], sendPlacement(0, placement, true)), { ...placement, page })
})
