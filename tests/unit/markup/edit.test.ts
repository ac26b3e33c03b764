import assert from 'node:assert/strict'
import { test } from 'node:test'
import fc from 'fast-check'
import {
  applyPatches,
  findWords,
  invertPatches,
  linkText,
  rebasePatches,
  scanLinks,
  setLink,
  sourceOffset,
  unwrapLink,
  wrapLink,
} from '../../../src/core/markup/index.ts'
import { awkwardPages, treeText } from './awkward.ts'

/** Links the words between « and ». */
function wrap(marked: string): string {
  const from = marked.indexOf('«')
  const to = marked.indexOf('»') - 1
  const html = marked.replace(/[«»]/g, '')
  const patches = wrapLink(html, from, to, { href: '/x' })
  return patches.ok ? applyPatches(html, patches.value) : patches.fault
}

const wraps = [
  ['words', '<p>the «tide table» here</p>', '<p>the <a href="/x">tide table</a> here</p>'],
  ['whole formatting', '<p>«the <b>tide</b> table»</p>', '<p><a href="/x">the <b>tide</b> table</a></p>'],
  [
    'a range that ends inside formatting',
    '<p>«the <b>tide» table</b></p>',
    '<p><a href="/x">the</a> <b><a href="/x">tide</a> table</b></p>',
  ],
  [
    'a range that begins inside formatting',
    '<p><b>the «tide</b> table»</p>',
    '<p><b>the <a href="/x">tide</a></b> <a href="/x">table</a></p>',
  ],
  [
    'a range over two paragraphs',
    '<p>the «tide</p>\n<p>table» here</p>',
    '<p>the <a href="/x">tide</a></p>\n<p><a href="/x">table</a> here</p>',
  ],
  ['a heading', '<h2>«Tides»</h2>', '<h2><a href="/x">Tides</a></h2>'],
  ['table cells', '<tr><td>«a</td><td>b»</td></tr>', '<tr><td><a href="/x">a</a></td><td><a href="/x">b</a></td></tr>'],
  ['over an old link', '<p>«see <a href="/old">the tide</a> table»</p>', '<p><a href="/x">see the tide table</a></p>'],
  ['the words of an old link', '<p><a href="/old">«tide table»</a></p>', '<p><a href="/x">tide table</a></p>'],
  [
    'the middle of an old link',
    '<p><a href="/old" rel=me>all «the tide» tables</a></p>',
    '<p><a href="/old" rel=me>all </a><a href="/x">the tide</a><a href="/old" rel=me> tables</a></p>',
  ],
  [
    'the end of an old link and more',
    '<p><a href="/old">all the «tide</a> tables»</p>',
    '<p><a href="/old">all the </a><a href="/x">tide tables</a></p>',
  ],
  ['a picture among words', '<p>«see <img src=y> here»</p>', '<p><a href="/x">see <img src=y> here</a></p>'],
  ['words beside a comment', '<p>«tide<!-- x --> table»</p>', '<p><a href="/x">tide<!-- x --> table</a></p>'],
  ['nothing', '<p>a«»b</p>', 'nothing-selected'],
  ['space alone', '<p>a</p>« »<p>b</p>', 'not-text'],
] as const
for (const [name, before, after] of wraps) test(`links ${name}`, () => assert.equal(wrap(before), after))

test('escapes the destination', () => {
  const patches = wrapLink('tide', 0, 4, { href: '/?a="1"&b', rel: null, target: '_blank' })
  assert.ok(patches.ok)
  assert.equal(applyPatches('tide', patches.value), '<a href="/?a=&quot;1&quot;&amp;b" target="_blank">tide</a>')
})

const ranges = fc.tuple(awkwardPages, fc.nat({ max: 200 }), fc.nat({ max: 60 }))

test('linking keeps every word, makes only sound links, and undoing gives the source back', () => {
  fc.assert(
    fc.property(ranges, ([page, start, length]) => {
      const html = `<p>one two ${page.replace(/<(?:plaintext|!--|\/?template|\/?svg|\/?math|xmp|iframe|noscript|textarea|script|style|title|base)[^>]*>?|<a href=p|<php|<\?|<!|<\/ |-->|--!>/g, '')} three</p>`
      const from = Math.min(start, html.length)
      const to = Math.min(from + length, html.length)
      if ([from, to].some((at) => /&[^;\s<]*$/.test(html.slice(0, at)))) return // people cannot select half a reference
      if ([from, to].some((at) => html[at - 1] === '\r' && html[at] === '\n')) return // nor half a line end
      const patches = wrapLink(html, from, to, { href: '/made' })
      if (!patches.ok) return
      const linked = applyPatches(html, patches.value)
      assert.equal(treeText(linked), treeText(html), JSON.stringify(html))
      assert.equal(applyPatches(linked, invertPatches(html, patches.value)), html)
    }),
    { numRuns: 3000 },
  )
})

test('sets and removes attributes of one link, and takes a link off', () => {
  const html = '<p><a href="/a">one</a> <a href="/b" target=_blank>two</a></p>'
  const second = scanLinks(html).links[1]
  assert.ok(second)
  const set = setLink(html, second.start, { href: '/c', target: null })
  assert.ok(set.ok)
  assert.equal(applyPatches(html, set.value), '<p><a href="/a">one</a> <a href="/c">two</a></p>')
  const off = unwrapLink(html, second.start)
  assert.ok(off.ok)
  assert.equal(applyPatches(html, off.value), '<p><a href="/a">one</a> two</p>')
  assert.equal(setLink(html, 4, { href: '/c' }).ok, false)
})

test('moves my change onto theirs when the places differ, and says so when they do not', () => {
  const base = 'one two three'
  const theirs = 'one, and two three'
  const moved = rebasePatches(base, theirs, [{ from: 8, to: 13, insert: 'four' }])
  assert.ok(moved.ok)
  assert.equal(applyPatches(theirs, moved.value), 'one, and two four')
  assert.equal(rebasePatches(base, 'ONE two three', [{ from: 0, to: 3, insert: 'eins' }]).ok, false)
})

test('finds the source place of a shown place across references, line ends and NUL', () => {
  const html = 'a&amp;b &notit; c\r\nd\0e&#x1F600;f &lt g'
  const shown = 'a&b ¬it; c\nde😀f < g'
  for (let k = 0; k <= shown.length; k++) {
    const at = sourceOffset(html, 0, k)
    const rest = html.slice(at).replaceAll('\0', '')
    if (shown[k] !== undefined && /[a-z]/.test(shown[k] ?? '')) assert.equal(rest[0], shown[k], `place ${k}`)
  }
  const [found, none] = findWords('<pre>\n&amp;co</pre><p>x</p>', '&CO', 5)
  assert.deepEqual(found, { from: 6, to: 13 }, 'the first line end of a pre is not shown')
  assert.equal(none, undefined)
})

test('a link made over a link around two blocks reads the same', () => {
  const html = '<a href="/old">one <b>two</b> three</a>'
  const patches = wrapLink(html, html.indexOf('two'), html.indexOf('two') + 3, { href: '/x' })
  assert.ok(patches.ok)
  const linked = applyPatches(html, patches.value)
  assert.equal(treeText(linked), 'one two three')
  assert.deepEqual(
    scanLinks(linked).links.map((link) => [link.href, linkText(linked, link)]),
    [
      ['/old', 'one'],
      ['/x', 'two'],
      ['/old', 'three'],
    ],
  )
})

test('linking words within a linked, formatted stretch nests everything rightly', () => {
  const html = '<p><a href="/h"><strong>Hol<i>lin</i></strong></a></p>'
  const linked = wrapLink(html, html.indexOf('ol'), html.indexOf('ol') + 2, { href: '/n' })
  assert.ok(linked.ok)
  assert.equal(
    applyPatches(html, linked.value),
    '<p><a href="/h"><strong>H</strong></a><strong><a href="/n">ol</a></strong><a href="/h"><strong><i>lin</i></strong></a></p>',
  )
})

test('an a without a destination is given the one for its words', () => {
  const html = '<p><a class="button" data-by-hand="">Words</a> <a name="x">anchor</a></p>'
  const at = html.indexOf('Words')
  const linked = wrapLink(html, at, at + 5, { href: '/n' })
  assert.ok(linked.ok)
  assert.equal(applyPatches(html, linked.value), '<p><a href="/n" class="button" data-by-hand="">Words</a> <a name="x">anchor</a></p>')
})
