import assert from 'node:assert/strict'
import { test } from 'node:test'
import {
  classFindings,
  destinationOf,
  FACETS,
  type Facet,
  FINDINGS,
  type Finding,
  type Fine,
  fineKey,
  givenFindings,
  hasFinding,
  type JudgedPlacement,
  landingFindings,
  landsOf,
  type Placement,
  PlacementList,
  type PlacementPage,
  type PlacementQuery,
  paidMost,
  rowFindings,
  SORTS,
  wordsOf,
} from '../../../src/core/placements/index.ts'
import { Judge } from '../../../src/core/placements/set.ts'
import {
  type CompiledSite,
  compileSite,
  hintsOf,
  ImpactTally,
  type Rule,
  relTokens,
  withShortLinks,
} from '../../../src/core/rules/index.ts'

/** Numbers that are the same in every run (mulberry32). */
function seeded(seed: number): (below: number) => number {
  let state = seed
  return (below) => {
    state = (state + 0x6d2b79f5) | 0
    let t = Math.imul(state ^ (state >>> 15), 1 | state)
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t
    return Math.floor((((t ^ (t >>> 14)) >>> 0) / 4_294_967_296) * below)
  }
}

const rule = (id: string, when: Rule['when'], what: Rule['what'], isBinding = false): Rule => ({
  id,
  name: id,
  isOn: true,
  isBinding,
  when,
  what,
})
const LISTS: readonly (readonly Rule[])[] = [
  [],
  [
    rule('paid', { is: 'partner' }, { hints: ['sponsored', 'nofollow'] }),
    rule('out', { is: 'kind', of: ['outside'] }, { opens: 'new tab' }),
  ],
  [
    rule(
      'deep',
      {
        all: [
          { is: 'under', of: ['/b'] },
          { is: 'kind', of: ['outside'] },
        ],
      },
      { hints: ['ugc'], title: 'to {site}' },
      true,
    ),
    rule('like', { is: 'address', like: '*two*' }, { hints: ['sponsored'] }),
    rule('tagged', { is: 'tag', of: ['Spring'] }, { opens: 'new tab' }),
    rule('same', { any: [{ is: 'part', of: ['block'] }, { is: 'sponsored page' }] }, { noreferrer: true, opens: 'same tab' }),
  ],
]
const DESTINATIONS = ['https://sferry.example/go/hut', 'https://sferry.example/go/gone']
const siteOf = (rules: readonly Rule[], destinations: ReadonlyMap<string, string>): CompiledSite =>
  withShortLinks(
    compileSite(
      {
        siteId: 's',
        name: 'S',
        hosts: [
          { id: 'h', host: 'slow-ferry.example', kind: 'site', prefix: '' },
          { id: 'k', host: 'sferry.example', kind: 'short', prefix: 'go' },
        ],
        partners: [{ id: 'g', name: 'Gannet', sites: ['gannet.example'], template: '', account: '' }],
        rules,
      },
      443,
    ),
    (_host, slug) => destinations.get(slug) ?? null,
  )

const HREFS = [
  '/a.html',
  'c.html#top',
  '/files/map.pdf',
  'https://gannet.example/one',
  'http://shop.gannet.example/two',
  'https://tides.example/',
  'http://tides.example/two',
  'https://TIDES.example:443/',
  'https://slow-ferry.example/a.html',
  'mailto:a@b.example',
  'http://',
  ...DESTINATIONS,
]
const TEXTS = ['', 'here', 'The tide tables', 'https://tides.example/', 'Ärmel', 'zebra', 'the tide tables']

class World {
  rules: readonly Rule[] = LISTS[1] ?? []
  readonly short = new Map([['hut', 'https://gannet.example/hut']])
  paths = new Set(['/a.html', '/b/c.html'])
  fine = new Map<string, Fine>()
  readonly pages = new Map<string, { page: PlacementPage; placements: Placement[] }>()
  readonly pick: (below: number) => number
  constructor(seed: number) {
    this.pick = seeded(seed)
  }
  one<T>(of: readonly T[]): T {
    return of[this.pick(of.length)] as T
  }
  get site(): CompiledSite {
    return siteOf(this.rules, this.short)
  }
  page(id: string): { page: PlacementPage; placements: Placement[] } {
    const kind = this.one(['page', 'page', 'page', 'block'] as const)
    const page: PlacementPage = {
      id,
      path: kind === 'page' ? this.one([`/${id}.html`, `/b/${id}.html`, `/𝒷/${id}.html`, `/\uffee/${id}.html`]) : `block ${id}`,
      title: this.one([`Page ${id}`, 'Tides', 'Alone']),
      kind,
      version: 1,
      writtenFor: this.one([null, null, 'g']),
      tags: this.one([[], [], ['winter'], ['Spring', 'winter']]),
      words: this.one([null, 100, 1_700]),
      waiting: this.one([[], [], ['https://tides.example/']]),
      baseHref: null,
      baseTarget: this.one([null, null, '_blank']),
    }
    const placements = Array.from(
      { length: this.pick(9) },
      (_, ordinal): Placement => ({
        page,
        ordinal,
        start: ordinal * 40,
        tag: `<a ${ordinal}>`,
        text: this.one(TEXTS),
        paragraph: this.pick(3),
        written: {
          href: this.one(HREFS),
          rel: this.one([null, null, 'nofollow', 'sponsored noopener', 'me']),
          target: this.one([null, '_blank']),
          byHand: this.one([null, null, '', 'hints']),
          tags: this.one([null, null, 'Spring', 'summer, winter']),
          shows: this.one(['text', 'text', 'picture'] as const),
          baseHref: null,
          baseTarget: page.baseTarget,
        },
      }),
    )
    return { page, placements }
  }
  /** Everything judged one by one, in the order of page and place. */
  judged(): { judged: JudgedPlacement; findings: readonly Finding[] }[] {
    const { site } = this
    const all = [...this.pages.values()]
      .sort((a, b) => Buffer.compare(Buffer.from(a.page.path), Buffer.from(b.page.path)))
      .map(({ page, placements }) => ({ page, judged: placements.map((each) => new Judge(site).judge(each)) }))
    const httpsHosts = new Set(
      all.flatMap(({ judged }) =>
        judged.filter(({ facts }) => facts.address?.startsWith('https:') === true).map(({ facts }) => facts.host),
      ),
    )
    return all.flatMap(({ page, judged }) => {
      const paid = judged.filter(({ decision }) => hintsOf(relTokens(decision.rel)).includes('sponsored'))
      const isPaid = (each: JudgedPlacement): boolean => page.kind === 'page' && paid.includes(each)
      return judged.map((each) => {
        const { placement, facts } = each
        const words = wordsOf(placement.text, facts.shows)
        const bits =
          givenFindings(rowFindings({ placement, facts, words }), facts, { httpsHosts }) |
          classFindings(each) |
          landingFindings(landsOf(facts, this.paths))
        const before = paid.slice(0, paid.indexOf(each))
        const findings = FINDINGS.filter((finding) => {
          if (finding === 'many paid in a paragraph')
            return isPaid(each) && before.some(({ placement }) => placement.paragraph === each.placement.paragraph)
          if (finding === 'many paid on a page') return isPaid(each) && paid.indexOf(each) >= paidMost(page.words)
          return hasFinding(bits, finding)
        }).filter((finding) => !this.fine.has(fineKey(each, finding)))
        return { judged: each, findings }
      })
    })
  }
}

const nameOf = ({ placement }: JudgedPlacement): string =>
  `${placement.page.id} ${placement.ordinal} ${placement.text} ${placement.written.href}`

function step(world: World, list: PlacementList): void {
  const id = `p${world.pick(7)}`
  switch (world.pick(9)) {
    case 0: {
      world.pages.delete(id)
      return list.remove(id)
    }
    case 1: {
      world.rules = world.one(LISTS)
      return list.judgeBy(world.site)
    }
    case 2: {
      world.paths = new Set(world.one([['/a.html'], ['/a.html', '/b/c.html', '/files/map.pdf'], ['/c']]))
      return list.know(world)
    }
    case 3: {
      const found = world.judged()
      const { judged, findings } = found[world.pick(found.length)] ?? {}
      if (judged !== undefined && findings?.[0] !== undefined) world.fine.set(fineKey(judged, findings[0]), { reason: 'so', by: null })
      return list.know(world)
    }
    case 4: {
      world.short.set('hut', world.one(['https://gannet.example/hut', 'https://tides.example/hut', 'https://slow-ferry.example/a.html']))
      return list.judgeShortLinks()
    }
    default: {
      const made = world.page(id)
      world.pages.set(id, made)
      if (world.pick(2) === 0) return list.replace(made.page, made.placements)
      // A long page comes in parts, and others may be looked at, and put, in between.
      const cut = world.pick(made.placements.length + 1)
      list.replace(made.page, made.placements.slice(0, cut))
      list.ask({})
      const other = world.page('p6')
      if (id !== 'p6') {
        world.pages.set('p6', other)
        list.replace(other.page, other.placements)
      }
      return list.add(made.placements.slice(cut))
    }
  }
}

test('a list that followed every change says what judging everything one by one says (40 seeded histories)', () => {
  for (let seed = 1; seed <= 40; seed++) {
    const world = new World(seed)
    const list = new PlacementList(world.site, world, { keepsTags: true })
    for (let turn = 0; turn < 30; turn++) {
      step(world, list)
      const expected = world.judged()
      const all = list.ask({})
      const rows = [...all.found].map((i) => ({ judged: list.judgedAt(i), findings: list.findingsAt(i) }))
      assert.deepEqual(rows, expected, `seed ${seed}, turn ${turn}`)
      assert.equal(all.pages, new Set(expected.map(({ judged }) => judged.placement.page.id)).size)
      const findings = Object.fromEntries(
        FINDINGS.flatMap((finding) => {
          const links = expected.filter((each) => each.findings.includes(finding)).length
          return links === 0 ? [] : [[finding, links]]
        }),
      )
      assert.deepEqual(all.findings, findings, `seed ${seed}, turn ${turn}`)
    }
    const chosen = {} as Partial<Record<Facet, string>>
    for (let k = 0; k < 3; k++) {
      const facet = world.one(FACETS)
      const value = world.one(list.ask({ facets: chosen }).counts[facet])?.[0]
      if (value !== undefined) chosen[facet] = value
      const { counts } = list.ask({ facets: chosen })
      for (const each of FACETS)
        for (const [other, links] of counts[each]) {
          const { found } = list.ask({ facets: { ...chosen, [each]: other } })
          // A tag may stand on a link and on its page.
          if (each !== 'tag') assert.equal(found.length, links, `seed ${seed}: ${each} ${other} beside ${JSON.stringify(chosen)}`)
        }
    }
    const words: PlacementQuery = { text: world.one(['tide two', 'ärmel', 'b/ h', 'alone', 'gannet']) }
    const holding = world.judged().filter(({ judged: { placement, facts } }) => {
      const { text, page, written } = placement
      const all = `${text}\n${written.href}\n${facts.address ?? ''}\n${page.title}\n${page.path}`.toLowerCase()
      return words.text?.split(' ').every((word) => all.includes(word)) === true
    })
    assert.deepEqual(
      [...list.ask(words).found].map((i) => nameOf(list.judgedAt(i) as JudgedPlacement)),
      holding.map(({ judged }) => nameOf(judged)),
      `seed ${seed}: ${words.text}`,
    )
  }
})

test('an impact by classes is the one that is counted link by link, whatever the rules ask for', () => {
  for (let seed = 50; seed < 90; seed++) {
    const world = new World(seed)
    const list = new PlacementList(world.site, world)
    for (let turn = 0; turn < 20; turn++) step(world, list)
    for (const draft of LISTS) {
      const alone = new ImpactTally<string>(world.site.rules, world.site.compile({ rules: draft }))
      for (const { judged } of world.judged()) alone.add(judged.placement.page.path, judged.facts, nameOf(judged), judged.decision)
      const { groups, ...rest } = list.impact({ rules: draft })
      const named = groups.map((group) => ({ ...group, examples: group.examples.map((i) => nameOf(list.judgedAt(i) as JudgedPlacement)) }))
      assert.deepEqual({ groups: named, ...rest }, alone.result(), `seed ${seed}`)
    }
  }
})

test('a list is put in the order of any column; what is the same there stays in the order of page and place', () => {
  const world = new World(7)
  const list = new PlacementList(world.site, world)
  for (let turn = 0; turn < 40; turn++) step(world, list)
  const place = new Map([...list.ask({}).found].map((i, at) => [i, at]))
  const shownValue: Partial<Record<(typeof SORTS)[number], (judged: JudgedPlacement) => string>> = {
    text: ({ placement }) => `${placement.text.toLowerCase()}\n${placement.text}`,
    href: ({ placement }) => `${placement.written.href.toLowerCase()}\n${placement.written.href}`,
    title: ({ placement }) => placement.page.title.toLowerCase(),
    site: ({ facts }) => facts.site ?? '',
    rel: ({ decision }) => decision.rel ?? '',
  }
  for (const sort of SORTS)
    for (const isDown of [false, true]) {
      const { found } = list.ask({ sort, isDown })
      assert.deepEqual(
        [...found].sort((a, b) => a - b),
        [...place.keys()].sort((a, b) => a - b),
        sort,
      )
      const of = shownValue[sort]
      if (of === undefined) continue
      const values = [...found].map((i) => of(list.judgedAt(i) as JudgedPlacement))
      for (let k = 1; k < found.length; k++) {
        const [a, b] = [values[k - 1] ?? '', values[k] ?? '']
        if (a === b) assert.ok((place.get(found[k - 1] ?? -1) ?? 0) < (place.get(found[k] ?? -1) ?? 0), `${sort}: ${a}`)
        else assert.equal(a < b, !isDown, `${sort}: ${a} before ${b}`)
      }
    }
  // Words that come later are put among the others.
  const more = world.page('p1')
  world.pages.set('p1', more)
  list.replace(more.page, more.placements)
  const texts = [...list.ask({ sort: 'text' }).found].map((i) => list.judgedAt(i)?.placement.text.toLowerCase() ?? '')
  assert.deepEqual(
    texts,
    [...texts].sort((a, b) => (a < b ? -1 : a > b ? 1 : 0)),
  )
})

test('a placement is found by its page and number, and one that is not there is none', () => {
  const world = new World(11)
  const list = new PlacementList(world.site, world)
  for (let turn = 0; turn < 30; turn++) step(world, list)
  for (const { judged } of world.judged()) {
    const found = list.judgedAt(list.rowOf(judged.placement.page.id, judged.placement.ordinal))
    assert.equal(found === null ? '' : nameOf(found), nameOf(judged))
  }
  assert.equal(list.judgedAt(list.rowOf('nobody', 0)), null)
  assert.equal(list.judgedAt(list.rowOf('p1', 99)), null)
  assert.equal(list.judgedAt(list.rows.length), null)
})

test('a page that comes in parts is whole, also where rows were moved together in between', () => {
  const world = new World(5)
  const list = new PlacementList(world.site, world)
  const [one] = Array.from({ length: 50 }, () => world.page('x').placements).flat()
  if (one === undefined) throw new Error('no placement')
  const pageOf = (id: string): PlacementPage => ({ ...world.page(id).page, kind: 'page', path: `/${id}.html` })
  const rowsOf = (page: PlacementPage, from: number, to: number): Placement[] =>
    Array.from({ length: to - from }, (_, k) => ({ ...one, page, ordinal: from + k, text: `${page.id} ${from + k}` }))
  const [long, other] = [pageOf('a'), pageOf('z')]
  for (let turn = 0; turn < 8; turn++) list.replace(other, rowsOf(other, 0, 4_000))
  list.replace(long, rowsOf(long, 0, 100))
  const before = list.rows.generation
  list.ask({})
  assert.ok(list.rows.generation > before, 'they were moved together')
  list.add(rowsOf(long, 100, 250))
  const found = [...list.ask({ page: long.path }).found].map((i) => list.judgedAt(i)?.placement.text)
  assert.deepEqual(
    found,
    rowsOf(long, 0, 250).map(({ text }) => text),
  )
  assert.equal(list.total, 4_250)
})

test('many addresses are put in order as they are by comparing them, and counted by where they lead', () => {
  const world = new World(9)
  const list = new PlacementList(world.site, world)
  const [one] = Array.from({ length: 50 }, () => world.page('x').placements).flat()
  if (one === undefined) throw new Error('no placement')
  const page: PlacementPage = { ...world.page('p').page, kind: 'page', path: '/p.html' }
  const signs = ['a', 'A', 'b', 'Ä', 'ä', '𝒷', '\uffee', '1', '/', '-']
  const hrefs = Array.from({ length: 900 }, () => {
    const end = Array.from({ length: world.pick(5) }, () => world.one(signs)).join('')
    return `https://${world.one(['tides', 'lanterns'])}.example/way/${end}`
  })
  const many = hrefs.map((href, ordinal): Placement => ({ ...one, page, ordinal, text: href, written: { ...one.written, href } }))
  list.replace(page, many.slice(0, 700))
  list.ask({ sort: 'text' })
  list.add(many.slice(700))
  const compared = (a: string, b: string): number => (a < b ? -1 : a > b ? 1 : 0)
  const sorted = [...hrefs].sort((a, b) => compared(a.toLowerCase(), b.toLowerCase()) || compared(a, b))
  assert.deepEqual(
    [...list.ask({ sort: 'text' }).found].map((i) => list.judgedAt(i)?.placement.text),
    sorted,
  )
  const led = new Map<string, number>()
  for (const i of list.ask({}).found) {
    const judged = list.judgedAt(i)
    const to = judged === null ? '' : destinationOf(judged)
    led.set(to, (led.get(to) ?? 0) + 1)
  }
  const counted = [...led]
    .sort(([a, m], [b, n]) => n - m || compared(a.toLowerCase(), b.toLowerCase()) || compared(a, b))
    .map(([destination, links]) => ({ destination, links, pages: 1 }))
  const groups = list.group({})
  assert.equal(groups.length, counted.length)
  assert.deepEqual(groups.slice(0), counted)
  assert.deepEqual(groups.slice(3, 9), counted.slice(3, 9))
  assert.deepEqual(
    list.group({ text: 'lanterns' }).slice(0, 5),
    counted.filter(({ destination }) => destination.includes('lanterns')).slice(0, 5),
  )
})

test('a word asked for again is found in what has come since', () => {
  const world = new World(5)
  const list = new PlacementList(world.site, world)
  const [one] = Array.from({ length: 50 }, () => world.page('x').placements).flat()
  if (one === undefined) throw new Error('no placement')
  let all = 0
  let gulls = 0
  for (const [turn, rows] of [3, 19_990, 7, 20_000, 1, 45_000].entries()) {
    const page = { ...world.page('x').page, kind: 'page' as const, id: `p${turn}`, path: `/p${turn}.html` }
    list.replace(
      page,
      Array.from({ length: rows }, (_, k) => ({ ...one, page, ordinal: k, text: `${k % 3 === 0 ? 'Gull' : 'tern'} ${turn} ${k}` })),
    )
    all += rows
    gulls += Math.ceil(rows / 3)
    assert.equal(list.ask({ text: 'gull' }).found.length, gulls, `${all} rows`)
    assert.equal(list.ask({ text: `gull ${turn}` }).found.length > 0, true)
    assert.equal(list.ask({ text: 'tern' }).found.length, all - gulls)
  }
  for (let k = 0; k < 40; k++) list.ask({ text: `other${k}` })
  assert.equal(list.ask({ text: 'gull' }).found.length, gulls)
})

test('rows that lie dead are moved together in time', () => {
  const world = new World(3)
  const list = new PlacementList(world.site, world)
  const page = { ...world.page('p1').page, kind: 'page' as const, path: '/p1.html' }
  const [one] = Array.from({ length: 50 }, () => world.page('x').placements).flat()
  if (one === undefined) throw new Error('no placement')
  for (let turn = 0; turn < 12; turn++) {
    list.replace(
      page,
      Array.from({ length: 4_000 }, (_, ordinal) => ({ ...one, page, ordinal, text: `turn${turn}. ${ordinal}` })),
    )
    assert.equal(list.ask({ text: `turn${turn}. 3999` }).found.length, 1)
    assert.equal(list.ask({ text: `turn${turn - 1}. 3999` }).found.length, 0)
  }
  assert.ok(list.rows.length < 30_000, `${list.rows.length} rows`)
  assert.ok(list.rows.strings.length < 40_000, `${list.rows.strings.length} strings`)
})
