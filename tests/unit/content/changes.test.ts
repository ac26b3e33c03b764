import assert from 'node:assert/strict'
import { test } from 'node:test'
import {
  anchorAdvice,
  deliverBytes,
  deliverSource,
  isBareAddress,
  type LinkAsDelivered,
  linkChanges,
  nameHeading,
  scanHeadings,
  sentenceAround,
} from '../../../src/core/content/index.ts'
import { applyPatches, scanLinks } from '../../../src/core/markup/index.ts'
import { compileSite, withShortLinks } from '../../../src/core/rules/index.ts'

const SITE = withShortLinks(
  compileSite(
    {
      siteId: 's',
      name: 'S',
      hosts: [{ id: 'h', host: 'slow-ferry.example', kind: 'site', prefix: '' }],
      partners: [{ id: 'gannet', name: 'Gannet', sites: ['gannet.example'], template: '', account: '' }],
      rules: [{ id: 'r', name: 'r', isOn: true, isBinding: false, when: { is: 'tag', of: ['spring'] }, what: { hints: ['ugc'] } }],
    },
    443,
  ),
  () => null,
)

const link = (text: string, href: string, rel: string | null = null): LinkAsDelivered => ({ text, href, rel, target: null })

test('links that only moved are no change; others are paired by words, then by destination', () => {
  const before = [link('a', '/1'), link('b', '/2'), link('c', '/3'), link('d', '/4'), link('e', '/5')]
  const after = [link('c', '/3'), link('a', '/9'), link('x', '/2'), link('d', '/4', 'nofollow'), link('new', '/n')]
  assert.deepEqual(
    linkChanges(before, after).map(({ before: old, after: now }) => [
      old === null ? null : `${old.text}${old.href}`,
      now === null ? null : `${now.text}${now.href}${now.rel ?? ''}`,
    ]),
    [
      ['d/4', 'd/4nofollow'],
      ['a/1', 'a/9'],
      ['b/2', 'x/2'],
      [null, 'new/n'],
      ['e/5', null],
    ],
  )
  assert.deepEqual(linkChanges(before, [...before].reverse()), [])
})

test('a link that stands twice and goes once is one change', () => {
  assert.equal(linkChanges([link('a', '/1'), link('a', '/1')], [link('a', '/1')]).length, 1)
})

test('words that say little, bare addresses, and the same words for two places are pointed out', () => {
  const worded = (text: string, address: string, showsPicture = false) => ({ text, href: address, address, showsPicture })
  const advice = anchorAdvice([
    worded('Click here!', 'https://a.example/'),
    worded('https://b.example/x', 'https://b.example/x'),
    worded('the map', 'https://c.example/1'),
    worded('The map', 'https://c.example/2'),
    worded('the slip', 'https://d.example/'),
    worded('', 'https://e.example/', true),
    worded('the slip', 'https://d.example/'),
  ])
  assert.deepEqual(
    [...advice].map(([i, all]) => [i, all.map(({ what }) => what)]),
    [
      [0, ['says nothing']],
      [1, ['bare address']],
      [5, ['no words']],
      [2, ['same words']],
      [3, ['same words']],
    ],
  )
  assert.deepEqual(
    [isBareAddress('www.x.example/a'), isBareAddress('see https://x.example'), isBareAddress('readme.txt')],
    [true, false, false],
  )
})

test('headings are found with their names, and one without is given one that is free', () => {
  const html =
    '<h1 id=top>One</h1><h2>Caf\u00e9 &amp; tea</h2><h2><a name="x"></a>Two</h2><div id="cafe-tea"></div><template><h2>no</h2></template>'
  const headings = scanHeadings(html)
  assert.deepEqual(
    headings.map(({ level, text, id }) => [level, text, id]),
    [
      [1, 'One', 'top'],
      [2, 'Caf\u00e9 & tea', null],
      [2, 'Two', 'x'],
    ],
  )
  const named = nameHeading(html, headings[1]?.start ?? -1)
  assert.ok(named !== null)
  assert.equal(applyPatches(html, [named.patch]).includes('<h2 id="cafe-tea-2">'), true)
  assert.equal(nameHeading(html, headings[0]?.start ?? -1), null)
})

test('the sentence around a link is the one it stands in', () => {
  const html = '<p>First one. Then <b>we took</b> the <a href="/x">late boat</a> home. Last.</p><p>Other.</p>'
  const [found] = scanLinks(html).links
  assert.ok(found)
  assert.equal(sentenceAround(html, found), 'Then we took the late boat home.')
})

test('comments of somebody else’s are never taken for ours: every byte of them is delivered', () => {
  const theirs = [
    '<!-- tags: spring, boats -->',
    '<!-- written-for: 00000000-0000-4000-8000-000000000001 -->',
    '<script>var a = "<!-- tags: x --> <!-- block: footer -->"</script>',
    '<template><!-- block: footer --></template>',
    '<textarea><!-- block: footer --></textarea>',
    '<!-- block: nobody -->',
    '<!--block: footer',
  ]
  const findPart = (_kind: string, name: string): string | null => (name === 'footer' ? '<i>foot</i>' : null)
  for (const html of theirs) {
    assert.equal(deliverSource(html, SITE, { path: '/', findPart }).html, html)
    const bytes = deliverBytes(new TextEncoder().encode(html), 'utf-8', SITE, { path: '/', findPart })
    assert.ok(bytes.ok)
    assert.equal(new TextDecoder().decode(bytes.value), html)
  }
  assert.equal(deliverSource('<p>x</p><!-- block: footer -->', SITE, { path: '/', findPart }).html, '<p>x</p><i>foot</i>')
})

test('what is said of a page decides of its links, whole or in pieces, and never comes with it', () => {
  const html = '<a href="https://tides.example/">t</a> <a href="https://gannet.example/">g</a>'
  const notes = { tags: ['spring'], writtenFor: 'gannet' }
  const whole = deliverSource(html, SITE, { path: '/', ...notes }).html
  assert.match(whole, /tides\.example\/" rel="ugc"/)
  assert.match(whole, /gannet\.example\/" rel="sponsored nofollow"/)
  const bytes = deliverBytes(new TextEncoder().encode(html), 'utf-8', SITE, { path: '/', ...notes })
  assert.ok(bytes.ok)
  assert.equal(new TextDecoder().decode(bytes.value), whole)
})
