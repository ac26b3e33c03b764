import assert from 'node:assert/strict'
import { test } from 'node:test'
import { readPage } from '../../../src/core/content/index.ts'
import {
  bitOf,
  decodeKept,
  encodeKept,
  FINDINGS,
  PlacementList,
  type PlacementPage,
  pageFindings,
} from '../../../src/core/placements/index.ts'
import { compileSite, withShortLinks } from '../../../src/core/rules/index.ts'

/** As they stand in lists that are kept on disk. A finding that is added has the next bit; one that goes leaves its own. */
const BITS = {
  unmarked: 0,
  'does not land': 1,
  'many paid in a paragraph': 2,
  'many paid on a page': 3,
  'no partner': 4,
  'same tab': 5,
  'no noopener': 6,
  'bare address': 7,
  'says little': 8,
  'no words': 9,
  'picture without words': 10,
  http: 11,
  'own domain': 12,
} as const

test('a finding keeps its bit, wherever it stands among the others', () => {
  assert.deepEqual(Object.fromEntries(FINDINGS.map((finding) => [finding, Math.log2(bitOf(finding))])), BITS)
})

test('of the paid links of a page the later ones of a paragraph are told, and those that are too many', () => {
  const told = (paragraphs: number[], words: number | null) =>
    pageFindings(paragraphs, words).map((bits) => FINDINGS.filter((finding) => (bits & bitOf(finding)) !== 0).join(', '))
  assert.deepEqual(told([1, 1, 2, 1], 100), ['', 'many paid in a paragraph', '', 'many paid in a paragraph, many paid on a page'])
  assert.deepEqual(told([1, 2, 3, 4], 1_600), ['', '', '', ''])
  assert.deepEqual(told([], null), [])
})

test('a list that was written down is read again by who means the same, and by nobody else', () => {
  const site = withShortLinks(
    compileSite(
      { siteId: 's', name: 'S', hosts: [{ id: 'h', host: 'a.example', kind: 'site', prefix: '' }], partners: [], rules: [] },
      443,
    ),
    () => null,
  )
  const page: PlacementPage = {
    ...{ id: 'p', path: '/p.html', title: 'P', kind: 'page', version: 1, writtenFor: null, tags: [], words: 3, waiting: [] },
    ...{ baseHref: null, baseTarget: null },
  }
  const html = '<p><a href="http://b.example/">here</a> <a href="https://b.example/é">où</a>'
  const list = new PlacementList(site, { paths: new Set(['/p.html']), fine: new Map() })
  list.replace(
    page,
    readPage(new TextEncoder().encode(html), 'utf-8', page.path).placements.map((each) => ({
      ...{ page, ordinal: each.ordinal, start: each.start, tag: each.tag, text: each.text, paragraph: each.paragraph },
      written: { ...each, baseHref: null, baseTarget: null },
    })),
  )
  const bytes = Buffer.concat(encodeKept(list.rows.kept(), { number: 7, ground: 'g' }))
  const again = decodeKept(bytes)
  assert.deepEqual(again?.head, { number: 7, ground: 'g' })
  const restored = new PlacementList(site, { paths: new Set(['/p.html']), fine: new Map() }, { kept: again?.rows ?? null })
  assert.deepEqual(restored.ask({}).findings, { 'same tab': 2, 'says little': 1, http: 1 })
  assert.deepEqual(restored.ask({}).findings, list.ask({}).findings)
  const meant = bytes.indexOf('says where it leads')
  const otherwise = Buffer.from(bytes)
  otherwise.write('means another thing', meant)
  assert.equal(decodeKept(otherwise), null)
})
