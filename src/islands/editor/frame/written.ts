import type { Fragment, Node } from '@tiptap/pm/model'
import { type EditorState, NodeSelection, TextSelection } from '@tiptap/pm/state'
import { differenceOf } from '../../../core/markup/index.ts'
import { type Difference, leadOf, schema, sourceOf, writtenAnew } from '../../../core/writing/index.ts'
import type { Stretch } from './messages.ts'

/** The blocks that differ, without memory of where their words came from; the caret stays. */
export function anew(state: EditorState, { from, nodes }: Difference): EditorState {
  const tr = state.tr.replaceWith(from, from + nodes.reduce((sum, node) => sum + node.nodeSize, 0), writtenAnew(nodes))
  const { anchor, head } = state.selection
  if (tr.doc.content.size === state.doc.content.size && !(state.selection instanceof NodeSelection))
    tr.setSelection(TextSelection.between(tr.doc.resolve(anchor), tr.doc.resolve(head)))
  return state.apply(tr)
}

/** The page as it was before, with the words that came in where the caret was. */
export function typedAgain(before: EditorState, state: EditorState): EditorState {
  const textOf = (doc: Node): string => doc.textBetween(0, doc.content.size, '\n', ' ')
  const typed = differenceOf(textOf(before.doc), textOf(state.doc))?.insert.replace(/\s+/g, ' ') ?? ''
  const { selection } = before
  return typed === '' || !selection.$from.parent.inlineContent ? before : before.apply(before.tr.insertText(typed, selection.to))
}

export const isOneAddress = (text: string): boolean => /^(?:[a-z][a-z0-9+.-]*:|\/|#|www\.)\S+$/i.test(text) && !/^javascript:/i.test(text)

export function sourceOfSlice(content: Fragment): string {
  const parts: string[] = []
  content.forEach(
    (node) => void parts.push(node.isInline ? sourceOf(schema.nodes.bare?.create(null, node) ?? node) : leadOf(node) + sourceOf(node)),
  )
  return parts.join('')
}

/** Where a stretch stands after the text changed elsewhere. */
export function moved(was: string, text: string, { from, to }: Stretch): Stretch {
  const change = differenceOf(was, text)
  if (change === null) return { from, to }
  const shift = change.insert.length - (change.to - change.from)
  const place = (at: number): number =>
    at <= change.from ? at : at >= change.to ? at + shift : Math.min(at, change.from + change.insert.length)
  return { from: place(from), to: place(to) }
}
