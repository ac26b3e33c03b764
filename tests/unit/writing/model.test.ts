import assert from 'node:assert/strict'
import { test } from 'node:test'
import { EditorState, Selection, TextSelection, type Transaction } from '@tiptap/pm/state'
import { applyPatches } from '../../../src/core/markup/index.ts'
import { placeOf, positionOf, readPiece, readWriting, sourceOfPage, type WritingPage, writingOf } from '../../../src/core/writing/index.ts'
import { actFor, backspace, enter } from '../../../src/islands/editor/frame/commands.ts'
import { partedLines } from '../../../src/islands/editor/frame/parting.ts'
import { numbersFrom } from './numbers.ts'

const PAGE = `<body>
<h1>Four islands  and &amp; a &lt;ferry&gt;</h1>
<p>The light on <a href="/hollin">Hollin</a> is
  old &mdash; <b>very <i>old</i></b>. AT&T wrote a < b.</p>
<p>A&nbsp;b <a href="https://gannet.example/?a=1&amp;b=2"><b>coats</b> and</a> &#x1F6A2; boats &notin; x.</p>
<ul>
  <li>one <em>two</em>
  <li>three<ul><li>deep</li></ul></li>
</ul>
<table><tr><td>cell <a href="#x">x</a></td><td> y </td></tr></table>
<pre>
 kept
   as is</pre>
<blockquote><p>said</p></blockquote>
<p>before <img src="a.png" alt="A"> after<br>next <!-- note --> words</p>
<div>loose <b>words</b><p>block</p>tail</div>
</body>`

const TYPED = [
  ' ',
  '  ',
  '   ',
  'a',
  'word',
  ' ab cd',
  '. ',
  '\u00a0',
  '&',
  '&amp;',
  'amp;',
  '<',
  '<b>',
  ';',
  '😀',
  'e\u0301',
  'שלום',
  ' \u00a0 ',
  '\t',
]
const PASTED = [
  '<p>one</p><p>two <a href="/p">p</a></p>',
  'plain <b>bold</b> ',
  '<ul><li>x</li></ul>',
  ' ',
  '<p>a  b</p>',
  '<a href="/q">q</a>',
]

/** One step of a writer who does anything at all. */
function step(state: EditorState, pick: (below: number) => number): Transaction | null {
  const { doc } = state
  let made: Transaction | null = null
  const take = (tr: Transaction): void => {
    made = tr
  }
  const from = Selection.near(doc.resolve(pick(doc.content.size + 1)), 1)
  const near = Selection.near(doc.resolve(Math.min(doc.content.size, from.from + pick(12))), 1)
  const range = pick(3) === 0 ? TextSelection.between(from.$from, near.$to) : from
  const at = state.apply(state.tr.setSelection(range))
  const { tr } = at
  switch (pick(9)) {
    case 0:
    case 1:
    case 2:
    case 3:
      return at.selection.$from.parent.inlineContent ? tr.insertText(TYPED[pick(TYPED.length)] ?? ' ') : null
    case 4:
      if (!backspace(at, take) && at.selection.$from.parentOffset > 0) take(tr.delete(at.selection.from - 1, at.selection.from))
      return made
    case 5:
      enter(at, take)
      return made
    case 6:
      return tr.deleteSelection()
    case 7: {
      const piece = readPiece(PASTED[pick(PASTED.length)] ?? '')
      const [only] = piece.children
      if (only === undefined) return null
      return only.inlineContent && piece.childCount === 1 ? tr.replaceWith(at.selection.from, at.selection.to, only.content) : null
    }
    default:
      actFor({ name: 'wrap', element: pick(2) === 0 ? 'strong' : 'em' })(at, take)
      return made
  }
}

const SEEDS = Number(process.env.WRITING_SEEDS ?? 60)
test(`whatever is written, the source says what the document shows, and every place is found again (${SEEDS} seeded writers)`, () => {
  for (let seed = 1; seed <= SEEDS; seed++) {
    const pick = numbersFrom(seed + Number(process.env.WRITING_SEED ?? 0))
    let source = PAGE
    let page = readWriting(source) as WritingPage
    let state = EditorState.create({ doc: page.doc, plugins: [partedLines()] })
    for (let i = 0; i < 40; i++) {
      const tr = step(state, pick)
      if (tr === null || !tr.docChanged) continue
      state = state.apply(tr)
      const writing = writingOf(page, state.doc)
      const place = `seed ${seed}, step ${i}`
      page = { ...page, doc: state.doc }
      if (writing !== null) {
        assert.ok(writing.isTrue, `${place}: ${writing.difference.nodes.join()} is written as ${writing.difference.insert}`)
        source = applyPatches(source, [writing.patch])
      }
      assert.equal(sourceOfPage(page), source, place)
      const at = state.selection.from
      if (state.doc.resolve(at).parent.isTextblock && state.doc.resolve(at).nodeAfter?.isText === true)
        assert.equal(positionOf(page, placeOf(page, at, 1)), at, `${place}: ${state.doc.resolve(at).parent}`)
      if (pick(6) === 0) {
        page = readWriting(source) as WritingPage
        state = EditorState.create({ doc: page.doc, plugins: [partedLines()] })
      }
    }
  }
})
