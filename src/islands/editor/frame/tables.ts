import type { Node, ResolvedPos } from '@tiptap/pm/model'
import { type Command as Act, type EditorState, Selection, type Transaction } from '@tiptap/pm/state'
import { schema } from '../../../core/writing/index.ts'
import { BARE, depthOf, leadFor } from './places.ts'

const { nodes } = schema

interface InTable {
  readonly table: number
  readonly row: number
  readonly column: number
}

export function inTable($at: ResolvedPos): InTable | null {
  const table = depthOf($at, (node) => node.type === nodes.table)
  const row = depthOf($at, (node) => node.type === nodes.row)
  return table === null || row === null ? null : { table, row, column: $at.index(row) }
}

const emptied = (cell: Node): Node => cell.type.create(cell.attrs, BARE.create())

export const row: Act = (state, dispatch) => {
  const at = inTable(state.selection.$from)
  if (at === null) return false
  const node = state.selection.$from.node(at.row)
  const made = node.type.create(
    { ...node.attrs, lead: leadFor(state.selection.$from, at.row) },
    node.children.map((cell) => (cell.type === nodes.cell ? emptied(cell) : cell)),
  )
  const tr = state.tr.insert(state.selection.$from.after(at.row), made)
  dispatch?.(tr.setSelection(Selection.near(tr.doc.resolve(state.selection.$from.after(at.row) + 2))).scrollIntoView())
  return true
}

export const takeRow: Act = (state, dispatch) => {
  const { $from } = state.selection
  const at = inTable($from)
  if (at === null) return false
  const rows = countOf($from.node(at.table), (node) => node.type === nodes.row)
  const depth = rows > 1 ? at.row : at.table
  dispatch?.(state.tr.delete($from.before(depth), $from.after(depth)).scrollIntoView())
  return true
}

function countOf(root: Node, is: (node: Node) => boolean): number {
  let count = 0
  root.descendants((node) => {
    if (is(node)) count++
  })
  return count
}

const hasSpans = (table: Node): boolean =>
  countOf(table, (node) => node.type === nodes.cell && /(?:col|row)span/i.test(String(node.attrs.open))) > 0

/** Adds or takes a column; not where cells span several, which a person has to untangle first. */
export const columns =
  (isTaken: boolean): Act =>
  (state, dispatch) => {
    const { $from } = state.selection
    const at = inTable($from)
    if (at === null || hasSpans($from.node(at.table))) return false
    const { tr } = state
    const start = $from.start(at.table)
    let isGone = false
    $from.node(at.table).descendants((node, position) => {
      if (node.type !== nodes.row) return node.type !== nodes.cell
      const cell = node.maybeChild(Math.min(at.column, node.childCount - 1))
      if (cell === null) return false
      let place = start + position + 1
      for (let i = 0; i < Math.min(at.column, node.childCount - 1); i++) place += node.child(i).nodeSize
      if (!isTaken) tr.insert(tr.mapping.map(place + cell.nodeSize), cell.type === nodes.cell ? emptied(cell) : cell)
      else if (node.childCount > 1) tr.delete(tr.mapping.map(place), tr.mapping.map(place + cell.nodeSize))
      else isGone = true
      return false
    })
    if (isGone) tr.delete(tr.mapping.map($from.before(at.table)), tr.mapping.map($from.after(at.table)))
    dispatch?.(tr.scrollIntoView())
    return true
  }

/** The next or previous cell; behind the last one a new row. */
export function toCell(state: EditorState, step: 1 | -1, dispatch?: (tr: Transaction) => void): boolean {
  const { $from } = state.selection
  const cell = depthOf($from, (node) => node.type === nodes.cell)
  const table = depthOf($from, (node) => node.type === nodes.table)
  if (cell === null || table === null) return false
  const cells: number[] = []
  const start = $from.start(table)
  $from.node(table).descendants((node, position) => {
    if (node.type === nodes.cell) cells.push(start + position)
    return node.type !== nodes.cell
  })
  const next = cells[cells.indexOf($from.before(cell)) + step]
  if (next === undefined) return step === 1 ? row(state, dispatch) : true
  dispatch?.(state.tr.setSelection(Selection.near(state.doc.resolve(next + 1))).scrollIntoView())
  return true
}
