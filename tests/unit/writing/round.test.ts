import assert from 'node:assert/strict'
import { test } from 'node:test'
import type { Node } from '@tiptap/pm/model'
import { EditorState } from '@tiptap/pm/state'
import fc from 'fast-check'
import { applyPatches } from '../../../src/core/markup/index.ts'
import {
  isClosed,
  placeOf,
  positionOf,
  readWriting,
  sourceOfPage,
  type WritingPage,
  writingDifference,
  writingOf,
} from '../../../src/core/writing/index.ts'
import { AWKWARD } from '../markup/awkward.ts'

function read(html: string): WritingPage {
  const page = readWriting(html)
  assert.ok(page !== null, html)
  return page
}

/** Position of the first place where the words are shown. */
function find(doc: Node, words: string): number {
  let at = -1
  doc.descendants((node, position) => {
    if (at === -1 && node.isText && node.text?.includes(words) === true) at = position + node.text.indexOf(words)
  })
  assert.notEqual(at, -1, `"${words}" is shown`)
  return at
}

/** Writes `text` behind the words, as a hand would. @returns the source afterwards */
function writeAfter(html: string, words: string, text: string): string {
  const page = read(html)
  const { tr } = EditorState.create({ doc: page.doc })
  const after = tr.insertText(text, find(page.doc, words) + words.length).doc
  const patch = writingOf(page, after)?.patch ?? null
  return patch === null ? html : applyPatches(html, [patch])
}

/** Awkward sources, some words to write behind, and what the source must be after " X" was written there. */
const WRITTEN: readonly (readonly [name: string, html: string, words: string, expected: string])[] = [
  ['a plain paragraph', '<p>Hello world</p>', 'Hello', '<p>Hello X world</p>'],
  ['references stay as written', '<p>Tea &amp; cake &mdash; at&nbsp;last</p>', 'last', '<p>Tea &amp; cake &mdash; at&nbsp;last X</p>'],
  ['white space and line ends stay', '<p>\r\n  Hello\r\n  world  \r\n</p>', 'Hello', '<p>\r\n  Hello\r\n  X world  \r\n</p>'],
  ['end tags left out', '<ul><li>one<li>two</ul>', 'one', '<ul><li>one X</li><li>two</ul>'],
  ['a paragraph that the next one ends', '<p>one\n<p>two', 'two', '<p>one\n<p>two X</p>'],
  [
    'odd attributes and case',
    "<P CLASS=x onclick='a(1)' data-y>Hi <B ID=q>there</B></P>",
    'Hi',
    "<P CLASS=x onclick='a(1)' data-y>Hi X <B ID=q>there</B></P>",
  ],
  ['words beside blocks', '<div>loose <b>words</b><p>block</p></div>', 'loose', '<div>loose X <b>words</b><p>block</p></div>'],
  ['a comment among words', '<p>a<!-- no --> b</p>', 'a', '<p>a X<!-- no --> b</p>'],
  ['comments between blocks', '<p>a</p>\n<!-- no -->\n<p>b</p>', 'b', '<p>a</p>\n<!-- no -->\n<p>b X</p>'],
  [
    'a form, an iframe, svg and a custom element beside it',
    '<form><input name=q></form><iframe src=x></iframe><svg><path d="M0"/></svg><my-thing a=1>x</my-thing><p>w</p>',
    'w',
    '<form><input name=q></form><iframe src=x></iframe><svg><path d="M0"/></svg><my-thing a=1>x</my-thing><p>w X</p>',
  ],
  [
    'svg among words',
    '<p>see <svg viewBox="0 0 1 1"><path d="M0"/></svg> this</p>',
    'this',
    '<p>see <svg viewBox="0 0 1 1"><path d="M0"/></svg> this X</p>',
  ],
  ['an empty anchor', '<p><a name="top"></a>Head</p>', 'Head', '<p><a name="top"></a>Head X</p>'],
  ['nested formatting in its order', '<p><b>x <a href="/y"><i>z</i></a> w</b></p>', 'w', '<p><b>x <a href="/y"><i>z</i></a> w X</b></p>'],
  ['two equal neighbours', '<p><b>a</b><b>b</b> c</p>', 'c', '<p><b>a</b><b>b</b> c X</p>'],
  ['a table without tbody', '<table><tr><td>one<td>two</table>', 'one', '<table><tr><td>one X</td><td>two</tr></table>'],
  [
    'a table cell with blocks',
    '<table><tbody><tr><th>h</th><td><p>p</p></td></tr></tbody></table>',
    'p',
    '<table><tbody><tr><th>h</th><td><p>p X</p></td></tr></tbody></table>',
  ],
  ['pre keeps its line ends', '<pre>\n a\n  b</pre>', 'b', '<pre>\n a\n  b X</pre>'],
  ['a page without any tags of its own', 'just words', 'words', 'just words X'],
  [
    'head and foot',
    '<!doctype html><html><head><title>T</title></head><body class=x>\n<h1>Hi</h1>\n</body>\n</html>\n',
    'Hi',
    '<!doctype html><html><head><title>T</title></head><body class=x>\n<h1>Hi X</h1>\n</body>\n</html>\n',
  ],
  ['a card that is one link', '<a href="/x"><div>card</div></a>', 'card', '<a href="/x"><div>card X</div></a>'],
  ['a stray end tag', '<p>a</i> b</p><p>c</p>', 'c', '<p>a</i> b</p><p>c X</p>'],
  ['misnested formatting elsewhere', '<p>fine</p><b>1<p>2</b>3</p>', 'fine', '<p>fine X</p><b>1<p>2</b>3</p>'],
  ['a definition list', '<dl><dt>a<dd>b</dl>', 'b', '<dl><dt>a<dd>b X</dd></dl>'],
  ['a quote with a paragraph', '<blockquote>\n <p>said</p>\n</blockquote>', 'said', '<blockquote>\n <p>said X</p>\n</blockquote>'],
  ['text that would be markup', '<p>1 &lt; 2</p>', '2', '<p>1 &lt; 2 X</p>'],
]

for (const [name, html, words, expected] of WRITTEN) {
  test(`writing into ${name} changes nothing else`, () => {
    assert.equal(writeAfter(html, words, ' X'), expected)
  })
}

test('what is typed is written as text, never as markup', () => {
  assert.equal(writeAfter('<p>a</p>', 'a', ' <b> & "c"'), '<p>a &lt;b> &amp; "c"</p>')
})

test('any join of awkward pieces is read and written back byte for byte, and stays itself under its own edits', () => {
  fc.assert(
    fc.property(
      fc.array(
        fc.oneof(
          fc.constantFrom(...AWKWARD),
          fc.constantFrom(
            '<p>',
            '</p>',
            '<ul><li>',
            '</ul>',
            '<b>',
            '</b>',
            '<table><tr><td>',
            '</table>',
            'words &amp; more',
            '<h2>',
            '</h2>',
            '<div>',
            '</div>',
          ),
        ),
        { maxLength: 14 },
      ),
      (parts) => {
        const html = parts.join(' ')
        const page = readWriting(html)
        if (page === null) return
        assert.equal(sourceOfPage(page), html)
        // Every place that a person can stand in has an offset, and they do not run backwards.
        let last = 0
        page.doc.descendants((node, position) => {
          if (!node.isText) return
          for (let i = 0; i <= (node.text?.length ?? 0); i++) {
            const place = placeOf(page, position + i, i === 0 ? 1 : -1)
            assert.ok(place >= last && place <= html.length, `${place} after ${last} in ${html}`)
            last = place
          }
        })
      },
    ),
    { numRuns: 1000, seed: 7 },
  )
})

test('a write leaves every other block byte for byte, whatever the page is made of', () => {
  fc.assert(
    fc.property(
      fc.array(fc.constantFrom(...AWKWARD, '<p>', '</p>', '<b>', '</b>', '<ul><li>', '<td>', 'x &amp; y'), { maxLength: 10 }),
      (parts) => {
        const html = `<p>first</p>\n${parts.join('')}`
        const page = readWriting(html)
        if (page === null || isClosed(page.doc) || page.doc.firstChild?.textContent !== 'first') return
        const { tr } = EditorState.create({ doc: page.doc })
        const patch = writingOf(page, tr.insertText('!', 6).doc)?.patch ?? null
        assert.deepEqual(patch, { from: 8, to: 8, insert: '!' })
      },
    ),
    { numRuns: 600, seed: 11 },
  )
})

test('a position leads to its place in the source and back', () => {
  const html = '<body>\n<p>One &amp; <a href="/x">two\n three</a></p>\n<ul>\n <li>four</li>\n <li>five <b>six</b></li>\n</ul>\n</body>'
  const page = read(html)
  for (const words of ['One', 'two', 'three', 'four', 'five', 'six']) {
    const position = find(page.doc, words)
    assert.equal(placeOf(page, position, 1), html.indexOf(words), words)
    assert.equal(positionOf(page, html.indexOf(words)), position, words)
    assert.equal(placeOf(page, position + words.length, -1), html.indexOf(words) + words.length, words)
  }
})

test('splitting a paragraph writes two, each with its own part of the source', () => {
  const html = '<div>\n  <p class="x">Tea &amp; cake. More &mdash; tea.</p>\n</div>'
  const page = read(html)
  const { tr } = EditorState.create({ doc: page.doc })
  const after = tr.split(find(page.doc, 'More')).doc
  const patch = writingOf(page, after)?.patch ?? null
  assert.equal(
    applyPatches(html, patch === null ? [] : [patch]),
    '<div>\n  <p class="x">Tea &amp; cake. </p>\n  <p class="x">More &mdash; tea.</p>\n</div>',
  )
})

test('a change of the source reaches the document without touching what stayed', () => {
  const before = read('<p>one</p><div><p>two</p><p>three</p></div>')
  const after = read('<p>one</p><div><p>two</p><p><a href="/x">three</a></p></div>')
  const difference = writingDifference(before.doc, after.doc)
  assert.ok(difference !== null)
  assert.deepEqual(
    difference.nodes.map((node) => node.textContent),
    ['three'],
  )
  assert.equal(writingDifference(before.doc, read('<p>one</p><div><p>two</p><p>three</p></div>').doc), null)
})

test('a frameset has nothing to write on', () => {
  assert.equal(readWriting('<frameset><frame src=a></frameset>'), null)
})
