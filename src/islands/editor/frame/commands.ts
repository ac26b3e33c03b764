import { chainCommands, deleteSelection, exitCode, joinBackward, newlineInCode, selectNodeBackward } from '@tiptap/pm/commands'
import { Fragment, type Node, Slice } from '@tiptap/pm/model'
import { liftListItem, sinkListItem } from '@tiptap/pm/schema-list'
import { type Command as Act, type EditorState, NodeSelection, Selection, TextSelection, type Transaction } from '@tiptap/pm/state'
import { canSplit } from '@tiptap/pm/transform'
import { piecesOf, readPiece, schema } from '../../../core/writing/index.ts'
import { list, movable, move, quote, unlist, wrap } from './arranging.ts'
import { block, meaning, paragraph, withoutId } from './meaning.ts'
import type { Command, Standing } from './messages.ts'
import { BARE, depthOf, ITEM, LINE, leadFor, need } from './places.ts'
import { columns, inTable, row, takeRow, toCell } from './tables.ts'

const { nodes } = schema
/** Lines that a new line may follow as one of the same kind; in others Enter makes a line break. */
const SPLITTING = /^(?:p|h[1-6]|div|dt|dd|address)$/

/** Enter. */
export const enter: Act = chainCommands(newlineInCode, leaveList, splitItem, splitLine)

/** Enter in an empty item ends the list. */
function leaveList(state: EditorState, dispatch?: (tr: Transaction) => void): boolean {
  const { $from, empty } = state.selection
  if (!empty || $from.parent.content.size > 0 || $from.depth < 2 || $from.node(-1).type !== ITEM || $from.node(-1).childCount > 1)
    return false
  const depth = $from.depth - 1
  const list = $from.node(depth - 1)
  const index = $from.index(depth - 1)
  const outer = $from.node(depth - 2)
  if (outer.type === ITEM) return liftListItem(ITEM)(state, dispatch)
  const start = $from.before(depth - 1)
  const lead = leadFor($from, depth - 1)
  const before = list.children.slice(0, index)
  const after = list.children.slice(index + 1)
  const made = [
    ...(before.length > 0 ? [list.copy(Fragment.from(before))] : []),
    paragraph(lead),
    ...(after.length > 0 ? [list.type.create({ ...list.attrs, lead }, after)] : []),
  ]
  const tr = state.tr.replaceWith(start, start + list.nodeSize, made)
  const at = start + (before.length > 0 ? (made[0]?.nodeSize ?? 0) : 0) + 1
  dispatch?.(tr.setSelection(TextSelection.create(tr.doc, at)).scrollIntoView())
  return true
}

/** Where a line is split, the spaces there part nothing any more; a browser would not show them. Takes those behind off. */
function withoutSpaces(tr: Transaction, position: number): Transaction {
  const at = tr.mapping.map(position)
  const { parent, parentOffset } = tr.doc.resolve(at)
  if (parent.type.spec.code === true) return tr
  const spaces = /^ */.exec(parent.textBetween(parentOffset, parent.content.size, '', '\ufffc'))?.[0].length ?? 0
  return spaces === 0 ? tr : tr.delete(at, at + spaces)
}

/** Enter in an item begins the next one. */
function splitItem(state: EditorState, dispatch?: (tr: Transaction) => void): boolean {
  const { $from, $to } = state.selection
  if ($from.depth < 2 || $from.node(-1).type !== ITEM || $from.parent !== $to.parent) return false
  const tr = withoutSpaces(state.tr.deleteSelection(), $from.pos)
  const at = tr.mapping.map($from.pos)
  const [item, line] = [$from.node(-1), $from.parent]
  const attrs = { ...item.attrs, lead: leadFor($from, $from.depth - 1), open: withoutId(String(item.attrs.open)) }
  const inner = line.type === BARE ? { type: BARE, attrs: { lead: '' } } : { type: line.type, attrs: line.attrs }
  if (!canSplit(tr.doc, at, 2, [{ type: ITEM, attrs }, inner])) return false
  dispatch?.(tr.split(at, 2, [{ type: ITEM, attrs }, inner]).scrollIntoView())
  return true
}

function splitLine(state: EditorState, dispatch?: (tr: Transaction) => void): boolean {
  const { $from, $to } = state.selection
  if (state.selection instanceof NodeSelection && state.selection.node.isBlock) {
    const at = state.selection.to
    const tr = state.tr.insert(at, paragraph(String(state.selection.node.attrs.lead)))
    dispatch?.(tr.setSelection(TextSelection.create(tr.doc, at + 1)).scrollIntoView())
    return true
  }
  if (!$from.parent.inlineContent || $from.parent !== $to.parent) {
    if (!state.selection.empty && dispatch !== undefined) dispatch(state.tr.deleteSelection().scrollIntoView())
    return true
  }
  const name = String($from.parent.attrs.name ?? '')
  const next = $from.depth > 0 ? $from.node(-1).maybeChild($from.index(-1) + 1) : null
  if (/^h[1-6]$/.test(name) && state.selection.empty && $from.pos === $from.end() && next?.type === LINE && next.content.size === 0) {
    // The paragraph to go on with is there already.
    dispatch?.(state.tr.setSelection(TextSelection.create(state.doc, $from.after() + 1)).scrollIntoView())
    return true
  }
  const isTop = $from.parent.type === BARE && $from.node(-1).type !== nodes.cell && $from.node(-1).type !== ITEM
  if (!SPLITTING.test(name) && !isTop) return breakLine(state, dispatch)
  const tr = withoutSpaces(state.tr.deleteSelection(), $from.pos)
  const at = tr.mapping.map($from.pos)
  const $at = tr.doc.resolve(at)
  const line = $at.parent
  const isAtEnd = $at.parentOffset === line.content.size
  const lead = leadFor($at, $at.depth)
  const attrs =
    line.type === BARE || (isAtEnd && /^h[1-6]$/.test(name))
      ? { ...LINE.create({ lead }).attrs }
      : { ...line.attrs, lead, open: withoutId(String(line.attrs.open)) }
  if (!canSplit(tr.doc, at, 1, [{ type: LINE, attrs }])) return false
  tr.split(at, 1, [{ type: LINE, attrs }])
  dispatch?.(tr.scrollIntoView())
  return true
}

/** A line break within a line. */
export const breakLine: Act = chainCommands(exitCodeless, (state, dispatch) => {
  dispatch?.(state.tr.replaceSelectionWith(need(nodes.br).create()).scrollIntoView())
  return true
})

function exitCodeless(state: EditorState, dispatch?: (tr: Transaction) => void): boolean {
  return state.selection.$from.parent.type.spec.code === true && exitCode(state, dispatch)
}

/** Backspace at the start of an item takes it out of its list; else the usual joins. */
export const backspace: Act = chainCommands(
  deleteSelection,
  (state, dispatch) => {
    const { $from, empty } = state.selection
    if (!empty || $from.parentOffset > 0 || $from.depth < 2 || $from.node(-1).type !== ITEM || $from.index(-1) > 0) return false
    if ($from.index(-2) > 0) return joinBackward(state, dispatch)
    return unlist(state, dispatch)
  },
  joinBackward,
  selectNodeBackward,
)

export const tab: Act = (state, dispatch) => sinkListItem(ITEM)(state, dispatch) || toCell(state, 1, dispatch)

export const backTab: Act = (state, dispatch) => liftNested(state, dispatch) || toCell(state, -1, dispatch)

function liftNested(state: EditorState, dispatch?: (tr: Transaction) => void): boolean {
  const { $from } = state.selection
  const depth = depthOf($from, (node) => node.type === ITEM)
  if (depth === null || $from.node(depth - 2)?.type !== ITEM) return false
  return liftListItem(ITEM)(state, dispatch)
}

const remove: Act = (state, dispatch) => {
  const found = movable(state)
  if (found === null) return false
  dispatch?.(state.tr.delete(found.from, found.to).scrollIntoView())
  return true
}

/** Puts a piece of source at the caret, or as blocks behind the block it stands in. */
const insert =
  (html: string, where: 'here' | 'after', chooses = false): Act =>
  (state, dispatch) => {
    const { $to } = state.selection
    const inline = readPiece(html)
    const [only] = inline.children
    if (where === 'here' && inline.childCount === 1 && only?.inlineContent === true && $to.parent.inlineContent) {
      const tr = state.tr.replaceWith(state.selection.from, state.selection.to, only.content)
      dispatch?.(tr.scrollIntoView())
      return true
    }
    const depth =
      depthOf($to, (node) => node.type === nodes.list || node.type === nodes.table) ?? depthOf($to, (node) => node.inlineContent)
    const at = depth === null ? state.selection.to : $to.after(depth)
    const lead = depth === null ? '\n' : leadFor($to, depth)
    const blocks = piecesOf(readPiece(html.replaceAll('\n', lead)), lead)
    const tr = state.tr.insert(at, blocks)
    const first = Selection.findFrom(tr.doc.resolve(at), 1, true)
    if (first !== null && first.from < at + blocks.size) tr.setSelection(chooses ? wholeLine(first) : first)
    dispatch?.(tr.scrollIntoView())
    return true
  }

/** Puts a pasted piece in. Words alone go into the line; blocks never run together with what stands behind them. */
const paste =
  (html: string): Act =>
  (state, dispatch) => {
    const { tr, selection } = state
    const doc = readPiece(html)
    const [only] = doc.children
    if (doc.childCount === 1 && only?.inlineContent === true && only.type !== nodes.verbatim) {
      dispatch?.(tr.replaceSelection(new Slice(only.content, 0, 0)).scrollIntoView())
      return true
    }
    tr.deleteSelection()
    const $at = tr.doc.resolve(tr.mapping.map(selection.from))
    const blocks = doc.children.map((node) => {
      const lead = $at.parent.inlineContent ? leadFor($at, $at.depth) : '\n'
      return node.type === BARE ? LINE.create({ lead }, node.content) : node.type.create({ ...node.attrs, lead }, node.content)
    })
    const last = blocks[blocks.length - 1]
    if (last === undefined) return false
    const isEmptyLine = $at.parent.type === LINE && $at.parent.content.size === 0
    if (isEmptyLine) tr.replaceWith($at.before(), $at.after(), blocks)
    else {
      const isAtEnd = $at.parentOffset === $at.parent.content.size
      const open = (node: Node | undefined): number => (node?.inlineContent === true && node.type !== nodes.verbatim ? 1 : 0)
      tr.replace(
        $at.pos,
        $at.pos,
        new Slice(Fragment.from(blocks), $at.parent.inlineContent ? open(blocks[0]) : 0, isAtEnd ? open(last) : 0),
      )
    }
    const end = tr.mapping.map(selection.to, 1)
    dispatch?.(tr.setSelection(Selection.near(tr.doc.resolve(Math.min(end, tr.doc.content.size)), -1)).scrollIntoView())
    return true
  }

const wholeLine = ({ $from }: Selection): Selection => TextSelection.create($from.doc, $from.start(), $from.end())

/** What a command of the bar does. */
export function actFor(command: Command): Act {
  switch (command.name) {
    case 'block':
      return block(command.element)
    case 'wrap':
      return wrap(command.element)
    case 'list':
      return list(command.element)
    case 'paste':
      return paste(command.html)
    case 'insert':
      return insert(command.html, command.where, command.chooses)
    case 'quote':
      return quote
    case 'row':
      return row
    case 'take row':
      return takeRow
    case 'column':
      return columns(false)
    case 'take column':
      return columns(true)
    case 'up':
      return move(-1)
    case 'down':
      return move(1)
    case 'remove':
      return remove
  }
}

/** What stands around the caret. */
export function standingOf(state: EditorState): Standing {
  const { $from, empty, from, to } = state.selection
  const marks = empty ? (state.storedMarks ?? $from.marks()) : marksIn(state.doc, from, to)
  return {
    block: $from.parent.inlineContent ? String($from.parent.attrs.name ?? '') : '',
    wraps: marks.map((mark) => meaning(String(mark.attrs.name))),
    isInList: depthOf($from, (node) => node.type === nodes.list) !== null,
    isInTable: inTable($from) !== null,
  }
}

function marksIn(doc: Node, from: number, to: number): readonly Node['marks'][number][] {
  let common: readonly Node['marks'][number][] | null = null
  doc.nodesBetween(from, to, (node) => {
    if (!node.isText) return
    const names = node.marks.map((mark) => meaning(String(mark.attrs.name)))
    common = common === null ? node.marks : common.filter((mark) => names.includes(meaning(String(mark.attrs.name))))
  })
  return common ?? []
}
