import type { Fragment, Node } from '@tiptap/pm/model'
import type { Command as Act } from '@tiptap/pm/state'
import { renamed, schema } from '../../../core/writing/index.ts'
import { BARE, LINE, need } from './places.ts'

const { nodes } = schema

const same: Readonly<Record<string, string>> = { b: 'strong', i: 'em', strike: 's', del: 's' }

/** Two spellings of one meaning are one button. */
export const meaning = (name: string): string => same[name] ?? name

export const withoutId = (open: string): string => open.replace(/\s+id\s*=\s*(?:"[^"]*"|'[^']*'|[^\s>]+)/i, '')

export const paragraph = (lead: string, content: Fragment | Node | null = null): Node => LINE.create({ lead }, content)

/** Gives every line of the selection another element. */
export const block =
  (name: string): Act =>
  (state, dispatch) => {
    const { tr } = state
    let isChanged = false
    state.doc.nodesBetween(state.selection.from, state.selection.to, (node, position) => {
      if (node.type !== LINE && node.type !== nodes.verbatim && node.type !== BARE) return true
      const type = name === 'pre' ? need(nodes.verbatim) : LINE
      const attrs = node.type === BARE ? { ...LINE.create({ lead: node.attrs.lead }).attrs } : node.attrs
      if (node.type === type && node.attrs.name === name) return false
      tr.setNodeMarkup(tr.mapping.map(position), type, renamed(attrs, name))
      isChanged = true
      return false
    })
    if (isChanged) dispatch?.(tr.scrollIntoView())
    return isChanged
  }
