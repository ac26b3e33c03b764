import assert from 'node:assert/strict'
import { test } from 'node:test'
import {
  anchorAdvice,
  isBareAddress,
  type LinkAsDelivered,
  linkChanges,
  nameHeading,
  scanHeadings,
  sentenceAround,
  setWrittenFor,
  writtenForOf,
} from '../../../src/core/content/index.ts'
import { applyPatches, scanLinks } from '../../../src/core/markup/index.ts'

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

test('for whom a page is written stands in its source, changes and goes', () => {
  const html = '<!doctype html><body class=x>\n<p>x</p>'
  const id = '00000000-0000-4000-8000-000000000001'
  const marked = applyPatches(html, setWrittenFor(html, id))
  assert.equal(writtenForOf(marked), id)
  assert.ok(marked.startsWith('<!doctype html><body class=x><!-- written-for:'))
  assert.equal(applyPatches(marked, setWrittenFor(marked, null)).replace('\n', ''), html.replace('\n', ''))
})
