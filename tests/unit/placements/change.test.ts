import assert from 'node:assert/strict'
import { test } from 'node:test'
import fc from 'fast-check'
import { normalise } from '../../../src/core/address/index.ts'
import { readPage } from '../../../src/core/content/index.ts'
import { applyPatches, invertPatches, scanLinks } from '../../../src/core/markup/index.ts'
import { type BulkChange, type ChangedPage, changeLinks, countChanged, type PlacementPage } from '../../../src/core/placements/index.ts'
import { compileSite, deliverPage, withShortLinks } from '../../../src/core/rules/index.ts'
import { type InWords, inWords } from '../../../src/words/index.ts'
import { awkwardPages, treeText } from '../markup/awkward.ts'

const site = withShortLinks(
  compileSite(
    {
      siteId: 's',
      name: 'S',
      hosts: [{ id: 'h', host: 'slow-ferry.example', kind: 'site', prefix: '' }],
      partners: [{ id: 'g', name: 'Gannet', sites: ['gannet.example'], template: '', account: '' }],
      rules: [
        { id: 'p', name: 'paid', isOn: true, isBinding: false, when: { is: 'partner' }, what: { hints: ['sponsored'] } },
        { id: 'o', name: 'out', isOn: true, isBinding: false, when: { is: 'kind', of: ['outside'] }, what: { opens: 'new tab' } },
      ],
    },
    443,
  ),
  () => null,
)
const page: PlacementPage = {
  id: 'a',
  path: '/islands/skarrow',
  title: 'Skarrow',
  kind: 'page',
  version: 1,
  writtenFor: null,
  tags: [],
  words: null,
  waiting: [],
  baseHref: null,
  baseTarget: null,
}
const help = { site, titleOf: (address: string) => (address.includes('tides') ? 'Tides & times' : null) }
const all = (html: string): ReadonlyMap<number, number> => new Map(scanLinks(html).links.map(({ start }, i) => [i, start]))
const made = (html: string, change: BulkChange, wanted = all(html)): InWords<ChangedPage & { html: string }> => {
  const changed = changeLinks(html, page, wanted, change, help)
  return inWords({ ...changed, html: applyPatches(html, changed.patches) })
}

for (const [name, change, before, after] of [
  [
    'leads all to one place',
    { do: 'lead to', address: 'http://https://tides.example/low' },
    '<a href="/x" rel=me>x</a>',
    '<a data-by-hand="" href="https://tides.example/low" rel=me>x</a>',
  ],
  [
    'brings an address of ours down to its path',
    { do: 'own path' },
    '<a href="https://slow-ferry.example/b?x#y">x</a>',
    '<a href="/b?x#y">x</a>',
  ],
  [
    'changes a piece of an address',
    { do: 'replace', find: 'ref=old', put: 'ref=new' },
    "<a href='/x?ref=old&amp;b'>x</a>",
    '<a data-by-hand="" href=\'/x?ref=new&amp;b\'>x</a>',
  ],
  [
    'says that they are paid',
    { do: 'tell', hints: ['sponsored'] },
    '<a href="/x" rel="me nofollow">x</a>',
    '<a href="/x" data-by-hand="hints" rel="me sponsored">x</a>',
  ],
  [
    'leaves the hints to the rules',
    { do: 'tell', hints: null },
    '<a href="/x" data-by-hand="hints opens" target="_blank">x</a>',
    '<a href="/x" data-by-hand="opens" target="_blank">x</a>',
  ],
  [
    'takes the link off and keeps what hangs in it',
    { do: 'unlink' },
    '<p>a <a href="/x"><b>bold</b> words</a>.',
    '<p>a <b>bold</b> words.',
  ],
  [
    'gives tags and takes some away',
    { do: 'tag', add: ['new'], remove: ['OLD'] },
    '<a href="/x" data-tags="old, kept">x</a>',
    '<a href="/x" data-tags="kept, new">x</a>',
  ],
  [
    'cuts a new tab off from ours',
    { do: 'noopener' },
    '<a href="https://x.example/" target="_blank">x</a>',
    '<a href="https://x.example/" rel="noopener" target="_blank">x</a>',
  ],
  ['asks the safe way', { do: 'https' }, '<a href="http://x.example/a">x</a>', '<a href="https://x.example/a">x</a>'],
  [
    'takes the title as words',
    { do: 'take title' },
    '<a href="https://tides.example/">here</a>',
    '<a href="https://tides.example/">Tides &amp; times</a>',
  ],
  [
    'bakes what the rules decide',
    { do: 'bake' },
    '<a href="https://gannet.example/">x</a>',
    '<a href="https://gannet.example/" rel="sponsored noopener" target="_blank">x</a>',
  ],
] as const satisfies readonly (readonly [string, BulkChange, string, string])[])
  test(`a bulk change ${name}`, () => {
    assert.equal(made(before, change).html, after)
  })

const CHANGES: readonly BulkChange[] = [
  { do: 'lead to', address: 'https://tides.example/' },
  { do: 'lead to', address: 'javascript:alert(1)' },
  { do: 'replace', find: 'a', put: 'b' },
  { do: 'open', opens: 'new tab' },
  { do: 'open', opens: 'same tab' },
  { do: 'open', opens: null },
  { do: 'tell', hints: ['ugc', 'nofollow'] },
  { do: 'tell', hints: [] },
  { do: 'tell', hints: null },
  { do: 'tag', add: ['spring'], remove: ['b'] },
  { do: 'noopener' },
  { do: 'https' },
  { do: 'own path' },
  { do: 'take title' },
  { do: 'unlink' },
  { do: 'bake' },
]

test('a bulk change is undone byte for byte, tells of every link, and done twice it changes nothing more (seeded pages)', () => {
  fc.assert(
    fc.property(awkwardPages, fc.constantFrom(...CHANGES), (html, change) => {
      const wanted = all(html)
      const { changed, skipped, patches, html: after } = made(html, change)
      assert.equal(changed.length + skipped.length, wanted.size)
      assert.equal(applyPatches(after, invertPatches(html, patches)), html)
      if (changed.length === 0) assert.equal(after, html)
      if (change.do === 'unlink' || change.do === 'replace') return
      const again = made(after, change)
      assert.equal(again.html, after, JSON.stringify(change))
    }),
    { seed: 2207, numRuns: 2_000 },
  )
})

test('what is not chosen stays as it is (seeded pages)', () => {
  fc.assert(
    fc.property(awkwardPages, fc.constantFrom(...CHANGES), fc.nat(3), (html, change, only) => {
      const { links } = scanLinks(html)
      const chosen = links[only]
      if (chosen === undefined) return
      const { html: after } = made(html, change, new Map([[only, chosen.start]]))
      assert.equal(after.startsWith(html.slice(0, chosen.start)), true, 'before it')
      assert.equal(after.endsWith(html.slice(chosen.outerEnd)), true, 'behind it')
    }),
    { seed: 31, numRuns: 1_500 },
  )
})

/** White space around the body's first words is the tree builder's to drop. */
const wordsIn = (html: string): string => treeText(html).replace(/\s+/g, ' ').trim()

test('links are taken off without losing a word (seeded pages)', () => {
  fc.assert(
    fc.property(awkwardPages, (html) => {
      fc.pre(!/<(?:svg|math|template|table|frameset|select)/i.test(html)) // where the tree builder moves words about
      assert.equal(wordsIn(made(html, { do: 'unlink' }).html), wordsIn(html))
    }),
    { seed: 12, numRuns: 800 },
  )
})

test('what was baked is what would have been delivered (seeded pages)', () => {
  const deliver = (html: string): string => deliverPage(html, site.rules, site.around(page.path), site.findShortLink).html
  fc.assert(
    fc.property(awkwardPages, (html) => {
      assert.equal(deliver(made(html, { do: 'bake' }).html), deliver(html))
    }),
    { seed: 8, numRuns: 800 },
  )
})

test('links that the rules would change are counted as those that are delivered otherwise (seeded pages)', () => {
  const encoder = new TextEncoder()
  fc.assert(
    fc.property(awkwardPages, (html) => {
      const read = readPage(encoder.encode(html), 'utf-8', page.path)
      const { patches } = deliverPage(read.text, site.rules, site.around(page.path), site.findShortLink)
      const changed = read.placements.filter(({ start, end }) => patches.some(({ from, to }) => from >= start && to <= end))
      assert.equal(countChanged(read.placements, page, site), changed.length)
    }),
    { seed: 21, numRuns: 800 },
  )
})

test('a link that stands elsewhere by now is left alone and told', () => {
  const html = '<p>new words <a href="/x">x</a>'
  const { html: after, skipped } = made(html, { do: 'unlink' }, new Map([[0, 3]]))
  assert.equal(after, html)
  assert.deepEqual(skipped, ['The page has changed since; this link stands elsewhere now.'])
})

test('an address that nobody can follow is refused link by link, with the reason', () => {
  const { skipped, html } = made('<a href="/x">x</a>', { do: 'lead to', address: 'javascript:alert(1)' })
  assert.match(skipped[0] ?? '', /no address that readers can follow/)
  assert.equal(html, '<a href="/x">x</a>')
})

test('a page’s own address is what parsing its path leads to, however plain the path (seeded)', () => {
  const path = fc.array(fc.constantFrom('/', 'a', 'Islands', '.', '..', 'b.html', '-', '~', '%7e', '%2F', ' ', 'caf\u00e9', '?', '//'), {
    maxLength: 8,
  })
  fc.assert(
    fc.property(path, (parts) => {
      const written = `/${parts.join('')}`
      const expected = normalise(written, site.origin) ?? `${site.origin}/`
      assert.equal(site.around(written).page, expected, written)
    }),
    { seed: 41, numRuns: 2_000 },
  )
})
