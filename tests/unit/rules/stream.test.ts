import assert from 'node:assert/strict'
import { test } from 'node:test'
import fc from 'fast-check'
import {
  alikeKey,
  type CompiledRule,
  compileRules,
  deliverPage,
  ImpactTally,
  type PageAround,
  type Rule,
  ruleStream,
  surveyPage,
} from '../../../src/core/rules/index.ts'

const around: PageAround = {
  siteHosts: ['slow-ferry.example', 'www.slow-ferry.example', 'old.example'],
  shortHosts: [{ host: 'sferry.example', prefix: 'go' }],
  partnerSites: new Set(['gannet-line.example', 'kelp.example']),
  payerOf: (_address, site) => (site === 'gannet-line.example' ? 'g' : site === 'kelp.example' ? 'k' : null),
  page: 'https://slow-ferry.example/islands/skarrow',
}
const find = (_host: string, slug: string): string | null =>
  slug === 'smock' ? 'https://gannet-line.example/smock' : slug === 'tide' ? 'https://slow-ferry.example/tides' : null

const rule = (when: Rule['when'], what: Rule['what'], isBinding = false): Rule => ({
  id: `${JSON.stringify(when)}${JSON.stringify(what)}`,
  name: 'r',
  isOn: true,
  isBinding,
  when,
  what,
})

const streamed = (html: string, rules: readonly CompiledRule[], where: PageAround): string => {
  const stream = ruleStream(rules, where, find, 'utf-8')
  return Buffer.concat([...stream.push(Buffer.from(html)), ...stream.end()]).toString()
}
const whole = (html: string, rules: readonly CompiledRule[], where: PageAround): string => deliverPage(html, rules, where, find).html

const address = fc.oneof(
  fc
    .tuple(
      fc.constantFrom('https://', 'http://', '//', 'HTTP://', 'https:/', ''),
      fc.constantFrom(
        'tides.example',
        'gannet-line.example',
        'shop.kelp.example',
        'slow-ferry.example',
        'www.slow-ferry.example',
        'old.example',
        'sferry.example',
        'Tides.example',
        'tides.example:8080',
        'slow-ferry.example:443',
        'me@tides.example',
        '1.2.3.4',
        'a..b',
        '',
      ),
      fc.constantFrom('', '/', '/low/water', '/map.pdf', '/go/smock', '/go/tide', '/go/none', '/islands/skarrow', '//', '/..'),
      fc.constantFrom('', '?x=1', '?a=1&amp;b=2', '?a&b', '#x', '?x#y', '&#35;x', '#'),
    )
    .map((parts) => parts.join('')),
  fc
    .tuple(
      fc.constantFrom('', '../', '../../', './', '/', '..', ' '),
      fc.constantFrom(
        '',
        'skarrow',
        'islands/skarrow',
        'packing.pdf',
        'a.b/c.PDF',
        '.hidden',
        'x.html',
        'caf\u00e9',
        'a%20b',
        'x:y',
        'a//b',
        'v1.0',
      ),
      fc.constantFrom('', '/', '?x', '?a&amp;b', '?a&num;b', '#x', '#', '?x#y', '?caf\u00e9'),
    )
    .map((parts) => parts.join('')),
  fc.constantFrom('mailto:a@b.example', 'tel:+44', 'javascript:x()', '#top', 'data:,x', '\\\\x', 'ftp://x.example/'),
)
const link = fc
  .tuple(
    address,
    fc.constantFrom('"', "'", ''),
    fc.constantFrom(
      '',
      ' rel="me"',
      " rel='sponsored nofollow noopener'",
      ' rel=ugc',
      ' rel',
      ' rel=""',
      ' rel="n&eacute;e"',
      ' REL="NoFollow x"',
    ),
    fc.constantFrom('', ' target="_blank"', ' target=_blank', " target='_self'", ' target', ' target="caf\u00e9"'),
    fc.constantFrom(
      '',
      ' data-by-hand="hints"',
      ' data-by-hand="opens"',
      ' data-tags="new, b"',
      ' data-other="x"',
      ' title="caf\u00e9"',
      ' class=x',
    ),
    fc.constantFrom('words', '<img src=x alt="A quay">', '<b>bold</b> words', ''),
    fc.boolean(),
  )
  .map(([href, quote, rel, target, more, content, isFirst]) => {
    const written = quote === '' ? href.replace(/[\s>"']/g, '') : href
    const attribute = ` href=${quote}${written}${quote}`
    return `<a${isFirst ? attribute : ''}${rel}${more}${target}${isFirst ? '' : attribute}>${content}</a>`
  })
const base = fc.constantFrom(
  '',
  '',
  '',
  '<base href="https://tides.example/low/">',
  '<base target="_blank">',
  '<base href="/walks/" target="_top">',
)
const pages = fc.tuple(base, fc.array(link, { minLength: 1, maxLength: 12 })).map(([first, links]) => first + links.join('\n'))

const LISTS: Readonly<Record<string, readonly Rule[]>> = {
  'kinds and partners': [
    rule({ is: 'partner' }, { hints: ['sponsored', 'nofollow'] }),
    rule({ is: 'kind', of: ['outside'] }, { opens: 'new tab' }),
    rule({ is: 'kind', of: ['file'] }, { opens: 'new tab', hints: [] }),
    rule({ is: 'kind', of: ['inside page', 'section'] }, { opens: 'same tab' }),
  ],
  'binding, and what browsers are told': [
    rule({ is: 'partner', of: ['g'] }, { hints: ['sponsored'], noreferrer: true }, true),
    rule({ not: { is: 'kind', of: ['outside'] } }, { hints: ['ugc'] }),
    rule({ is: 'site', of: ['example', 'kelp.example'] }, { opens: 'new tab', noopener: false, referrer: 'origin' }),
  ],
  'words, pictures and titles': [
    rule({ is: 'shows', of: 'picture' }, { hints: ['nofollow'] }),
    rule({ is: 'kind', of: ['outside'] }, { opens: 'new tab', spoken: 'opens in a new tab', mark: true, title: 'To {site}' }),
  ],
  'spoken alone': [rule({ is: 'kind', of: ['outside'] }, { opens: 'new tab', spoken: 'opens in a new tab' })],
  'where a link stands': [
    rule({ is: 'under', of: ['/islands'] }, { hints: ['nofollow'] }),
    rule({ is: 'tag', of: ['new'] }, { opens: 'new tab' }),
    rule({ is: 'part', of: ['block'] }, { hints: ['ugc'] }),
    rule({ is: 'sponsored page' }, { opens: 'new tab' }),
  ],
  addresses: [rule({ is: 'address', like: '*/low*' }, { hints: ['ugc'] }), rule({ is: 'origin', of: 'imported' }, { opens: 'new tab' })],
  none: [],
}
const PLACES: readonly PageAround[] = [
  around,
  { ...around, page: 'https://slow-ferry.example/walks/' },
  { ...around, page: 'https://old.example/islands/index.html' },
  { ...around, page: 'https://sferry.example/go' },
  { ...around, page: 'https://slow-ferry.example/islands/?x=1' },
  { ...around, tags: ['new'], part: { kind: 'block', name: 'side' } },
  { ...around, sponsor: { name: 'Kelp Lane Books', sites: ['kelp.example'] } },
  { ...around, waiting: new Set(['https://tides.example/low/water']) },
]

for (const [name, list] of Object.entries(LISTS))
  test(`links that share an answer get the one each would have got alone: ${name} (seeded pages)`, () => {
    // One list for all pages, so that what one page has taught is used on the next.
    const rules = compileRules(list)
    fc.assert(
      fc.property(pages, fc.constantFrom(...PLACES), (html, where) => {
        assert.equal(streamed(html, rules, where), whole(html, rules, where))
      }),
      { seed: 1871, numRuns: 1_500 },
    )
  })

test('pages in other encodings neither spoil nor borrow what UTF-8 has taught', () => {
  const rules = compileRules([rule({ is: 'kind', of: ['outside'] }, { hints: ['nofollow'], opens: 'new tab' })])
  const write = { 'windows-1252': 'latin1', 'utf-16le': 'utf16le' } as const
  fc.assert(
    fc.property(pages, fc.constantFrom('windows-1252', 'utf-16le'), (html, encoding) => {
      assert.equal(streamed(html, rules, around), whole(html, rules, around))
      const stream = ruleStream(rules, around, find, encoding)
      const out = Buffer.concat([...stream.push(Buffer.from(html, write[encoding])), ...stream.end()])
      const expected = whole(html, rules, around)
      // What windows-1252 cannot write goes in as a character reference, which is the same attribute.
      assert.equal(out.toString(write[encoding]).replaceAll('&#233;', '\u00e9'), expected)
    }),
    { seed: 5, numRuns: 800 },
  )
})

test('a partner that comes or goes is seen at once, and so is another host', () => {
  const rules = compileRules([rule({ is: 'partner' }, { hints: ['sponsored'] })])
  const html = '<a href="https://kelp.example/">x</a><a href="https://old.example/">y</a>'
  const marked = html.replace('/">x', '/" rel="sponsored">x')
  assert.equal(streamed(html, rules, around), marked)
  assert.equal(streamed(html, rules, { ...around, partnerSites: new Set(['gannet-line.example']) }), html)
  assert.equal(streamed(html, rules, around), marked)
})

test('one link of a site waits for an editor, the next one does not', () => {
  const rules = compileRules([])
  const html = '<a href="https://tides.example/a">x</a> <a href="https://tides.example/b">y</a> <a href="https://tides.example/a#c">z</a>'
  const waits = { ...around, waiting: new Set(['https://tides.example/b']) }
  assert.equal(streamed(html, rules, waits), html.replace('/b"', '/b" rel="nofollow ugc"'))
  assert.equal(streamed(html, rules, around), html)
})

test('a survey counts links and those the rules would change, and nothing else', () => {
  const rules = compileRules(LISTS['kinds and partners'] ?? [])
  const survey = (html: string) => surveyPage(Buffer.from(html), rules, around, find, 'utf-8')
  assert.deepEqual(survey('<p>no links <a name=x>here</a></p><!-- <a href=/x> -->'), { links: 0, changes: 0 })
  assert.deepEqual(
    survey('<a href="/x">a</a><a href="https://tides.example/">b</a><svg><a xlink:href="https://kelp.example/">c</a></svg>'),
    {
      links: 3,
      changes: 2,
    },
  )
  const done = whole('<a href="https://tides.example/">b</a>', rules, around)
  assert.deepEqual(survey(done), { links: 1, changes: 0 })
  assert.deepEqual(survey('<a href="/x">a</a><a href="/y'), { links: 1, changes: 0 }, 'a tag that is cut off is none')
})

test('a survey agrees with what a stream changes (seeded pages)', () => {
  const rules = compileRules(LISTS['binding, and what browsers are told'] ?? [])
  fc.assert(
    fc.property(pages, (html) => {
      const { patches, delivered } = deliverPage(html, rules, around, find)
      const survey = surveyPage(Buffer.from(html), rules, around, find, 'utf-8')
      assert.equal(survey.links, delivered.length)
      assert.equal(survey.changes > 0, patches.length > 0)
    }),
    { seed: 3, numRuns: 500 },
  )
})

test('an impact that is counted by likeness is the one that is counted link by link (seeded sites)', () => {
  const lists = Object.values(LISTS)
  fc.assert(
    fc.property(
      fc.array(pages, { minLength: 1, maxLength: 3 }),
      fc.constantFrom(...lists),
      fc.constantFrom(...lists),
      (site, was, will) => {
        const [before, after] = [compileRules(was), compileRules(will)]
        const [alone, together] = [new ImpactTally<string>(before, after), new ImpactTally<string>(before, after)]
        const numbers = new Map<string, number>()
        for (const [i, html] of site.entries()) {
          const where = PLACES[i % PLACES.length] ?? around
          for (const { facts, decision, link } of deliverPage(html, before, where, find).delivered) {
            const key = alikeKey(facts)
            const number = numbers.get(key) ?? numbers.size
            numbers.set(key, number)
            alone.add(`/p${i}`, facts, link.href)
            together.add(`/p${i}`, facts, link.href, decision, number)
          }
        }
        assert.deepEqual(together.result(), alone.result())
      },
    ),
    { seed: 77, numRuns: 600 },
  )
})
