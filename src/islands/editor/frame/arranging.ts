import { Fragment, type Node, type ResolvedPos } from '@tiptap/pm/model'
import { type Command as Act, type EditorState, NodeSelection, Selection, TextSelection, type Transaction } from '@tiptap/pm/state'
import { renamed, schema, wrapOf } from '../../../core/writing/index.ts'
import { meaning, paragraph } from './meaning.ts'
import { BARE, depthOf, ITEM, leadFor, need } from './places.ts'

const { nodes } = schema

/** Puts an inline element around the selected words, or takes it off where all of them have it. */
export const wrap =
  (name: string): Act =>
  (state, dispatch) => {
    const { from, to, empty, $from } = state.selection
    const wanted = meaning(name)
    const has = (node: Node): boolean => node.marks.some((mark) => meaning(String(mark.attrs.name)) === wanted)
    if (empty) {
      const marks = state.storedMarks ?? $from.marks()
      const kept = marks.filter((mark) => meaning(String(mark.attrs.name)) !== wanted)
      dispatch?.(state.tr.setStoredMarks(kept.length < marks.length ? kept : [...marks, wrapOf(wanted)]))
      return true
    }
    let isAll = true
    state.doc.nodesBetween(from, to, (node) => {
      if (node.isText && !has(node)) isAll = false
    })
    const { tr } = state
    if (!isAll) tr.addMark(from, to, wrapOf(wanted))
    else
      state.doc.nodesBetween(from, to, (node, position) => {
        for (const mark of node.marks)
          if (meaning(String(mark.attrs.name)) === wanted)
            tr.removeMark(Math.max(from, position), Math.min(to, position + node.nodeSize), mark)
      })
    dispatch?.(tr)
    return true
  }

/** Makes a list of the selected lines, changes its kind, or makes lines of it again. */
export const list =
  (name: 'ul' | 'ol'): Act =>
  (state, dispatch) => {
    const { $from, $to } = state.selection
    const inside = depthOf($from, (node) => node.type === nodes.list)
    if (inside !== null) {
      const node = $from.node(inside)
      if (node.attrs.name === name) return unlist(state, dispatch)
      dispatch?.(state.tr.setNodeMarkup($from.before(inside), null, renamed(node.attrs, name)))
      return true
    }
    const range = $from.blockRange($to)
    if (range === null) return false
    const lines = range.parent.children.slice(range.startIndex, range.endIndex)
    if (!lines.every((line) => line.inlineContent)) return false
    const [first] = lines
    const lead = String(first?.attrs.lead ?? '')
    const inner = lead === '' ? '\n' : `${lead}  `
    const items = lines.map((line) => ITEM.create({ lead: inner }, BARE.create(null, line.content)))
    const made = need(nodes.list).create({ name, lead, open: `<${name}>`, close: `${lead === '' ? '\n' : lead}</${name}>` }, items)
    replaceBlocks(state, range.start, range.end, [made], dispatch)
    return true
  }

export function unlist(state: EditorState, dispatch?: (tr: Transaction) => void): boolean {
  const { $from } = state.selection
  const depth = depthOf($from, (node) => node.type === nodes.list)
  if (depth === null) return false
  const node = $from.node(depth)
  const lead = leadFor($from, depth)
  const lines = node.children.flatMap((item) =>
    item.type === ITEM ? item.children.map((child) => (child.type === BARE ? paragraph(lead, child.content) : child)) : [item],
  )
  replaceBlocks(state, $from.before(depth), $from.after(depth), lines, dispatch)
  return true
}

/** Replaces blocks and keeps the caret in the words it was in. */
function replaceBlocks(state: EditorState, from: number, to: number, made: readonly Node[], dispatch?: (tr: Transaction) => void): void {
  if (dispatch === undefined) return
  const before = state.doc.textBetween(from, state.selection.from, '').length
  const tr = state.tr.replaceWith(from, to, made)
  let left = before
  let caret: number | null = null
  const end = tr.mapping.map(to)
  tr.doc.nodesBetween(from, end, (node, position) => {
    if (!node.isText || caret !== null) return
    if (left <= node.nodeSize) caret = position + left
    left -= node.nodeSize
  })
  const at = caret ?? from + 1
  dispatch(tr.setSelection(Selection.near(tr.doc.resolve(Math.min(at, tr.doc.content.size)))).scrollIntoView())
}

export const quote: Act = (state, dispatch) => {
  const { $from, $to } = state.selection
  const inside = depthOf($from, (node) => node.type === nodes.quote)
  if (inside !== null) {
    replaceBlocks(state, $from.before(inside), $from.after(inside), $from.node(inside).children, dispatch)
    return true
  }
  const range = $from.blockRange($to)
  if (range === null || !range.parent.type.validContent(Fragment.from(need(nodes.quote).create()))) return false
  const blocks = range.parent.children.slice(range.startIndex, range.endIndex)
  const lead = String(blocks[0]?.attrs.lead ?? '')
  const inner = blocks.map((each) =>
    each.type === BARE ? paragraph(`${lead}  `, each.content) : each.type.create({ ...each.attrs, lead: `${lead}  ` }, each.content),
  )
  replaceBlocks(state, range.start, range.end, [need(nodes.quote).create({ lead, close: `${lead}</blockquote>` }, inner)], dispatch)
  return true
}

/** The block that moves as a whole: a chosen thing, an item or row, else the outermost block within its box. */
export function movable(state: EditorState): { from: number; to: number; $at: ResolvedPos; depth: number } | null {
  const { selection } = state
  if (selection instanceof NodeSelection && selection.node.isBlock) {
    return { from: selection.from, to: selection.to, $at: selection.$from, depth: selection.$from.depth + 1 }
  }
  const { $from } = selection
  const depth = depthOf($from, (node) => node.type === ITEM || node.type === nodes.row) ?? depthOf($from, (node) => node.inlineContent)
  return depth === null ? null : { from: $from.before(depth), to: $from.after(depth), $at: $from, depth }
}

export const move =
  (step: 1 | -1): Act =>
  (state, dispatch) => {
    const found = movable(state)
    if (found === null) return false
    const { $at, depth, from, to } = found
    const parent = $at.node(depth - 1)
    const index = $at.index(depth - 1)
    const other = parent.maybeChild(index + step)
    const mine = parent.child(index)
    if (other === null || other === undefined) return true
    // The white space belongs to the place, not to the block.
    const swapped = (node: Node, lead: unknown): Node => node.type.create({ ...node.attrs, lead }, node.content, node.marks)
    const up = swapped(step === 1 ? other : mine, (step === 1 ? mine : other).attrs.lead)
    const down = swapped(step === 1 ? mine : other, (step === 1 ? other : mine).attrs.lead)
    const start = step === 1 ? from : from - other.nodeSize
    const tr = state.tr.replaceWith(start, step === 1 ? to + other.nodeSize : to, [up, down])
    const shift = step * other.nodeSize
    const { selection } = state
    /** What is selected may reach beyond the block that moves. */
    const inside = (at: number): number => Math.max(from, Math.min(to, at)) + shift
    tr.setSelection(
      selection instanceof NodeSelection
        ? NodeSelection.create(tr.doc, selection.from + shift)
        : TextSelection.between(tr.doc.resolve(inside(selection.anchor)), tr.doc.resolve(inside(selection.head))),
    )
    dispatch?.(tr.scrollIntoView())
    return true
  }
