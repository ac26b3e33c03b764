import assert from 'node:assert/strict'
import { test } from 'node:test'
import fc from 'fast-check'
import {
  EMPTY_MENU,
  type FlatEntry,
  flatMenu,
  indentEntry,
  joinMenu,
  leftOut,
  type MenuEntry,
  moveEntry,
  nestedMenu,
  outdentEntry,
  readMenu,
  removeEntry,
  renderMenu,
  setLandings,
} from '../../../src/core/menus/index.ts'

const entry = (id: string, children: readonly MenuEntry[] = [], more: Partial<MenuEntry> = {}): MenuEntry => ({
  id,
  kind: 'page',
  label: id,
  href: `/${id}`,
  children,
  ...more,
})
/** "a > b" for b below a, in order. */
const drawn = (flat: readonly FlatEntry[]): string => flat.map(({ id, depth }) => '>'.repeat(depth) + id).join(' ')
const MENU = [entry('a', [entry('b'), entry('c', [entry('d')])]), entry('e')]
const flat = flatMenu(MENU)

test('entries one below the other and back are the same menu', () => {
  assert.equal(drawn(flat), 'a >b >c >>d e')
  assert.deepEqual(nestedMenu(flat), MENU)
})

test('an entry moves with what hangs below it', () => {
  assert.equal(drawn(moveEntry(flat, 'c', 2, 0)), 'a >b c >d e')
  assert.equal(drawn(moveEntry(flat, 'a', 1, 0)), 'e a >b >c >>d')
  assert.equal(drawn(moveEntry(flat, 'e', 0, 0)), 'e a >b >c >>d')
  assert.equal(drawn(moveEntry(flat, 'e', 4, 2)), 'a >b >c >>d >>e')
})

test('an entry is hung below the one above, and taken from it, but not where that makes no sense', () => {
  assert.equal(drawn(indentEntry(flat, 'e')), 'a >b >c >>d >e')
  assert.equal(indentEntry(flat, 'a'), flat)
  assert.equal(indentEntry(flat, 'b'), flat, 'it hangs there already')
  assert.equal(drawn(outdentEntry(flat, 'c')), 'a >b c >d e')
  assert.equal(outdentEntry(flat, 'e'), flat)
})

test('what hangs below an entry that is taken out moves up', () => {
  assert.equal(drawn(removeEntry(flat, 'a')), 'b c >d e')
})

test('no arranging loses or doubles an entry, or leaves one hanging in the air', () => {
  const act = fc.record({
    what: fc.constantFrom('move', 'in', 'out'),
    id: fc.constantFrom('a', 'b', 'c', 'd', 'e'),
    to: fc.nat(6),
    depth: fc.nat(5),
  })
  fc.assert(
    fc.property(fc.array(act, { maxLength: 12 }), (acts) => {
      let now: readonly FlatEntry[] = flat
      for (const { what, id, to, depth } of acts)
        now = what === 'move' ? moveEntry(now, id, to, depth) : what === 'in' ? indentEntry(now, id) : outdentEntry(now, id)
      assert.deepEqual([...now.map(({ id }) => id)].sort(), ['a', 'b', 'c', 'd', 'e'])
      for (const [i, { depth }] of now.entries()) assert.ok(depth <= (now[i - 1]?.depth ?? -1) + 1, drawn(now))
    }),
    { seed: 3 },
  )
})

test('several titles get a landing in one go; the others stay the same entries', () => {
  const next = setLandings(
    flat,
    new Map([
      ['a', '/x'],
      ['e', ''],
    ]),
  )
  assert.deepEqual(
    next.map(({ href }) => href),
    ['/x', '/b', '/c', '/d', ''],
  )
  assert.equal(next[1], flat[1])
})

test('a new page joins where the menu says, once, and never when it was left out', () => {
  const page = { id: 'n', path: '/n', title: 'New' }
  const menu = { ...EMPTY_MENU, entries: MENU }
  assert.equal(joinMenu(menu, page), menu)
  assert.equal(drawn(flatMenu(joinMenu({ ...menu, joins: 'first' }, page).entries)), 'n a >b >c >>d e')
  const below = joinMenu({ ...menu, joins: { under: 'c' } }, page)
  assert.equal(drawn(flatMenu(below.entries)), 'a >b >c >>d >>n e')
  assert.equal(joinMenu(below, page), below)
  const left = { ...menu, joins: 'last' as const, left: ['/n'] }
  assert.equal(joinMenu(left, page), left)
})

test('pages that the menu does not show are named, those left out on purpose last', () => {
  const pages = [{ path: '/x' }, { path: '/a' }, { path: '/y' }]
  assert.deepEqual(leftOut({ ...EMPTY_MENU, entries: MENU, left: ['/x'] }, pages), [{ path: '/y' }, { path: '/x' }])
})

test('readers get nested lists; a title without a landing is words, and nothing in a label is markup', () => {
  const html = renderMenu([
    entry('t', [entry('in')], { kind: 'title', href: '', label: 'A <b> & c' }),
    entry('out', [], { kind: 'link', href: 'https://x.example/?a=1&b="', opens: 'new tab', hints: ['sponsored'] }),
  ])
  assert.equal(
    html,
    '<ul><li><span>A &lt;b> &amp; c</span><ul><li><a href="/in" data-by-hand="">in</a></li></ul></li>' +
      '<li><a href="https://x.example/?a=1&amp;b=&quot;" rel="sponsored" target="_blank" data-by-hand="hints opens">out</a></li></ul>',
  )
})

test('what is stored and cannot be read is an empty menu', () => {
  assert.deepEqual(readMenu('{"entries": 4}'), EMPTY_MENU)
  assert.deepEqual(readMenu('nothing'), EMPTY_MENU)
})
