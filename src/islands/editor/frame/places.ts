import type { Node, NodeType, ResolvedPos } from '@tiptap/pm/model'
import { schema } from '../../../core/writing/index.ts'

const { nodes } = schema
export const need = (type: NodeType | undefined): NodeType => {
  if (type === undefined) throw new Error('The schema lacks a node')
  return type
}
export const ITEM = need(nodes.item)
export const LINE = need(nodes.line)
export const BARE = need(nodes.bare)

/** The white space before a block; for the first of its parent the one a sibling has. */
export function leadFor($at: ResolvedPos, depth: number): string {
  const parent = $at.node(depth - 1)
  const lead = String($at.node(depth).attrs.lead ?? '')
  if (lead !== '') return lead
  for (const child of parent.children) if (String(child.attrs.lead ?? '') !== '') return String(child.attrs.lead)
  return '\n'
}

/** The innermost depth at which a node is of a kind; null where none is. */
export function depthOf($at: ResolvedPos, is: (node: Node) => boolean): number | null {
  for (let depth = $at.depth; depth > 0; depth--) if (is($at.node(depth))) return depth
  return null
}
