import assert from 'node:assert/strict'
import { test } from 'node:test'
import { EditorState } from '@tiptap/pm/state'
import { applyPatches } from '../../../src/core/markup/index.ts'
import { placeOf, positionOf, readWriting, type WritingPage, writingOf } from '../../../src/core/writing/index.ts'

/** Types one key after the other behind some words, as a person does. @returns the source after the last */
function typeBehind(html: string, words: string, keys: string): string {
  let page = readWriting(html) as WritingPage
  let source = html
  let at = -1
  page.doc.descendants((node, position) => {
    if (at === -1 && node.isText && node.text?.includes(words) === true) at = position + node.text.indexOf(words) + words.length
  })
  for (const key of keys) {
    const next = EditorState.create({ doc: page.doc }).tr.insertText(key, at++).doc
    const writing = writingOf(page, next)
    assert.ok(writing === null || writing.isTrue, `${keys} in ${html}`)
    if (writing !== null) source = applyPatches(source, [writing.patch])
    page = { ...page, doc: next }
    assert.equal(positionOf(page, placeOf(page, at, -1)), at)
  }
  return source
}

const TYPED: readonly (readonly [name: string, html: string, words: string, keys: string, expected: string])[] = [
  ['words before a space', '<p>The light on</p>', 'The', ' ab cd', '<p>The ab cd light on</p>'],
  ['two spaces between sentences', '<p>Four. End</p>', 'Four', '.  Two spaces between', '<p>Four.&nbsp; Two spaces between. End</p>'],
  ['a space beside one', '<p>a b</p>', 'a', ' ', '<p>a&nbsp; b</p>'],
  ['a space beside a line end', '<p>a\n  b</p>', 'a', ' x', '<p>a\n  x b</p>'],
  ['a space before a bold word', '<p>a <b>c</b></p>', 'a ', ' ', '<p>a&nbsp; <b>c</b></p>'],
  ['a space at the end', '<p>a</p>', 'a', ' ', '<p>a </p>'],
  ['a word after a space at the end', '<p>a</p>', 'a', ' b', '<p>a b</p>'],
  ['letters that would make a reference', '<p>AT&T &</p>', '&T &', 'amp;', '<p>AT&amp;T &amp;amp;</p>'],
  ['a letter that would make a tag', '<p>a < c</p>', '<', 'b', '<p>a &lt;b c</p>'],
  ['beside a reference of two units', '<p>&#x1F600; x</p>', '\u{1F600}', 'y', '<p>&#x1F600;y x</p>'],
  ['into kept white space', '<pre>\n a\n  b</pre>', 'a', '  c', '<pre>\n a  c\n  b</pre>'],
]
for (const [name, html, words, keys, expected] of TYPED)
  test(`typing arrives as it was typed: ${name}`, () => assert.equal(typeBehind(html, words, keys), expected))

test('spaces are let go when what held them apart is gone', () => {
  const page = readWriting('<p>a b</p>') as WritingPage
  const twice = EditorState.create({ doc: page.doc }).tr.insertText(' ', 2).doc
  const first = writingOf(page, twice)
  const source = applyPatches('<p>a b</p>', first === null ? [] : [first.patch])
  assert.equal(source, '<p>a&nbsp; b</p>')
  const once = EditorState.create({ doc: twice }).tr.delete(2, 3).doc
  const second = writingOf({ ...page, doc: twice }, once)
  assert.equal(applyPatches(source, second === null ? [] : [second.patch]), '<p>a b</p>')
})

test('tags that a browser passes over are kept, and never shown as words', () => {
  const page = readWriting('<p>a</i> b</p>') as WritingPage
  assert.equal(page.doc.textContent, 'a b')
  assert.equal(typeBehind('<p>a</i> b</p>', 'b', '!'), '<p>a</i> b!</p>')
})
