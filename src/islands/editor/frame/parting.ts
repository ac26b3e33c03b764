import type { Node } from '@tiptap/pm/model'
import { Plugin } from '@tiptap/pm/state'
import { schema } from '../../../core/writing/index.ts'

const isBare = (node: Node | null | undefined): boolean => node?.type === schema.nodes.bare

/** Words beside words would run together in the source: where two such lines come to stand side by side, the second becomes a paragraph. */
export function partedLines(): Plugin {
  return new Plugin({
    appendTransaction(transactions, _before, state) {
      const found = new Set<number>()
      for (const [index, tr] of transactions.entries()) {
        if (!tr.docChanged) continue
        for (const [number, map] of tr.mapping.maps.entries()) {
          map.forEach((_oldFrom, _oldTo, from, to) => {
            let [a, b] = [tr.mapping.slice(number + 1).map(from, -1), tr.mapping.slice(number + 1).map(to, 1)]
            for (const later of transactions.slice(index + 1)) [a, b] = [later.mapping.map(a, -1), later.mapping.map(b, 1)]
            state.doc.nodesBetween(Math.max(0, a - 1), Math.min(state.doc.content.size, b + 1), (node, position) => {
              if (!node.inlineContent) gather(node, position + 1, found)
              return !node.inlineContent
            })
            gather(state.doc, 0, found)
          })
        }
      }
      if (found.size === 0) return null
      const { tr } = state
      for (const position of found) {
        const { lead } = tr.doc.nodeAt(position)?.attrs ?? {}
        tr.setNodeMarkup(position, schema.nodes.line, { lead })
      }
      return tr
    },
  })
}

/** Where the later ones of bare lines side by side stand. */
function gather(parent: Node, start: number, found: Set<number>): void {
  let at = start
  parent.forEach((child, _offset, index) => {
    if (isBare(child) && index > 0 && isBare(parent.child(index - 1))) found.add(at)
    at += child.nodeSize
  })
}
