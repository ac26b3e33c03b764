import { Fragment, type Node } from '@tiptap/pm/model'
import type { Patch } from '../markup/index.ts'
import { readsAs } from './check.ts'
import type { WritingPage } from './read.ts'
import { schema } from './schema.ts'
import { closeOf, inheritInks, inkIn, leadOf, leafPlacesOf, openOf, sourceOf } from './source.ts'

/** What differs between two documents: the least stretch of siblings, by position and by source. */
export interface Difference {
  /** Positions in the document before. */
  readonly from: number
  readonly to: number
  readonly nodes: readonly Node[]
  /** What holds them. */
  readonly parent: Node
  /** Source offsets before, counted from the start of the document. */
  readonly sourceFrom: number
  readonly sourceTo: number
  readonly insert: string
}

type Same = (a: Node, b: Node) => boolean

const lengthOf = (node: Node): number => leadOf(node).length + sourceOf(node).length

/** Finds what differs; null when nothing does. @param same - when two nodes need not be looked into */
function differ(before: Node, after: Node, same: Same, inherits = true): Difference | null {
  let a = before
  let b = after
  let position = 0
  let offset = 0
  for (;;) {
    let head = 0
    const most = Math.min(a.childCount, b.childCount)
    let headPosition = position
    let headOffset = offset
    while (head < most && same(a.child(head), b.child(head))) {
      headPosition += a.child(head).nodeSize
      headOffset += lengthOf(a.child(head))
      head++
    }
    if (head === a.childCount && head === b.childCount) return null
    let tail = 0
    while (tail < most - head && same(a.child(a.childCount - 1 - tail), b.child(b.childCount - 1 - tail))) tail++
    const left = childrenOf(a, head, a.childCount - tail)
    const right = childrenOf(b, head, b.childCount - tail)
    const [one] = left
    const [other] = right
    if (left.length === 1 && right.length === 1 && one !== undefined && other !== undefined && isSameBox(one, other)) {
      a = one
      b = other
      position = headPosition + 1
      offset = headOffset + leadOf(one).length + openOf(one).length
      continue
    }
    if (inherits) inheritInks(left, right)
    return {
      from: headPosition,
      to: headPosition + left.reduce((sum, node) => sum + node.nodeSize, 0),
      nodes: right,
      parent: b,
      sourceFrom: headOffset,
      sourceTo: headOffset + left.reduce((sum, node) => sum + lengthOf(node), 0),
      insert: right.map((node) => leadOf(node) + sourceOf(node)).join(''),
    }
  }
}

const childrenOf = (node: Node, from: number, to: number): Node[] => {
  const found: Node[] = []
  for (let i = from; i < to; i++) found.push(node.child(i))
  return found
}

/** Two boxes with the same tags: what differs lies in them. Their ends must be written the same way. */
function isSameBox(a: Node, b: Node): boolean {
  if (a.type !== b.type || a.inlineContent || a.isLeaf || leadOf(a) !== leadOf(b) || openOf(a) !== openOf(b) || closeOf(a) !== closeOf(b))
    return false
  // A box whose end tag was left out is written with one when it changes.
  return openOf(a) === '' || closeOf(a).includes('</')
}

/** What a person wrote, as a change of the source. */
export interface Writing {
  readonly patch: Patch
  /** Whether the new source, read on its own, says and links what the document shows. */
  readonly isTrue: boolean
  readonly difference: Difference
}

/**
 * The smallest change for what a person wrote, read again to see that it says the same.
 * @param page - as it was before
 * @param after - the document now; nodes that were not touched are the same nodes
 * @param inherits - words that were there before keep the source they were read from
 * @returns null when the source stays as it is
 */
export function writingOf(page: WritingPage, after: Node, inherits = true): Writing | null {
  const difference = differ(page.doc, after, (a, b) => a === b || (a.isLeaf && a.eq(b)), inherits)
  if (difference === null) return null
  const base = page.head.length
  const old = sliceOf(page.doc, difference)
  const { insert } = difference
  const most = Math.min(old.length, insert.length)
  let head = 0
  while (head < most && old.charCodeAt(head) === insert.charCodeAt(head)) head++
  let tail = 0
  while (tail < most - head && old.charCodeAt(old.length - 1 - tail) === insert.charCodeAt(insert.length - 1 - tail)) tail++
  if (head === old.length && head === insert.length) return null
  const patch = {
    from: base + difference.sourceFrom + head,
    to: base + difference.sourceTo - tail,
    insert: insert.slice(head, insert.length - tail),
  }
  return { patch, isTrue: readsAs(difference.nodes, difference.parent, insert), difference }
}

/** The source of the stretch that differs, put together from its nodes: the whole page need not be written. */
function sliceOf(doc: Node, { from, to }: Difference): string {
  const $from = doc.resolve(from)
  const parent = $from.parent
  const nodes: string[] = []
  let at = from
  for (let i = $from.index(); i < parent.childCount && at < to; i++) {
    const child = parent.child(i)
    nodes.push(leadOf(child) + sourceOf(child))
    at += child.nodeSize
  }
  return nodes.join('')
}

/** How to bring a document to what `after` was read from, leaving alone what has the same source. Null when it is there. */
export function writingDifference(before: Node, after: Node): Difference | null {
  return differ(before, after, (a, b) => a === b || (a.type === b.type && leadOf(a) === leadOf(b) && sourceOf(a) === sourceOf(b)))
}

/**
 * Source offset of a position.
 * @param side - between two pieces of a line: 1 for the start of what follows, -1 for the end of what comes before
 */
export function placeOf(page: WritingPage, position: number, side: 1 | -1): number {
  let node = page.doc
  let offset = page.head.length
  let left = position
  for (;;) {
    if (node.inlineContent) return offset + placeInLine(node, left, side)
    offset += openOf(node).length
    let index = 0
    for (; index < node.childCount; index++) {
      const child = node.child(index)
      if (left === 0 && side === -1) return offset
      if (left < child.nodeSize) {
        offset += leadOf(child).length
        if (left === 0 || child.isLeaf) return offset
        break
      }
      left -= child.nodeSize
      offset += lengthOf(child)
    }
    if (index === node.childCount) return offset
    left -= 1
    node = node.child(index)
  }
}

function placeInLine(line: Node, position: number, side: 1 | -1): number {
  const places = leafPlacesOf(line)
  let left = position
  for (let i = 0; i < line.childCount; i++) {
    const leaf = line.child(i)
    const isHere = side === 1 ? left < leaf.nodeSize : left <= leaf.nodeSize
    if (isHere) return (places[i] ?? 0) + placeInLeaf(line, i, left)
    left -= leaf.nodeSize
  }
  const last = line.childCount - 1
  if (last < 0) return openOf(line).length
  return (places[last] ?? 0) + placeInLeaf(line, last, line.child(last).nodeSize)
}

function placeInLeaf(line: Node, index: number, units: number): number {
  const leaf = line.child(index)
  if (leaf.isText) return inkIn(line, index).at[units] ?? 0
  return units === 0 ? 0 : sourceOf(leaf).length
}

/** The position for a source offset; the nearest one where the offset lies in a tag or in what is not written on. */
export function positionOf(page: WritingPage, offset: number): number {
  let node = page.doc
  let left = Math.max(0, offset - page.head.length)
  let position = 0
  for (;;) {
    if (node.inlineContent) return position + positionInLine(node, left)
    left -= openOf(node).length
    let next: Node | null = null
    for (let i = 0; i < node.childCount; i++) {
      const child = node.child(i)
      const length = lengthOf(child)
      if (left < length || (i === node.childCount - 1 && !child.isLeaf)) {
        next = child
        break
      }
      left -= length
      position += child.nodeSize
    }
    if (next === null || next.isLeaf) return position
    left = Math.max(0, left - leadOf(next).length)
    position += 1
    node = next
  }
}

function positionInLine(line: Node, offset: number): number {
  const places = leafPlacesOf(line)
  let position = 0
  for (let i = 0; i < line.childCount; i++) {
    const leaf = line.child(i)
    const place = places[i] ?? 0
    if (offset <= place) return position
    const ink = leaf.isText ? inkIn(line, i) : null
    if (ink !== null && offset <= place + ink.raw.length) {
      let unit = 0
      while (unit < ink.at.length - 1 && place + (ink.at[unit] ?? 0) < offset) unit++
      return position + unit
    }
    position += leaf.nodeSize
  }
  return position
}

/** The whole source of a page that is written on. */
export const sourceOfPage = ({ head, doc, foot }: WritingPage): string => head + sourceOf(doc) + foot

/** The blocks of a piece of source, ready to be put in where other blocks stand. */
export function piecesOf(doc: Node, lead: string): Fragment {
  const nodes: Node[] = []
  doc.forEach((node) => {
    nodes.push(String(node.attrs.lead) === '' ? node.type.create({ ...node.attrs, lead }, node.content, node.marks) : node)
  })
  return Fragment.fromArray(nodes)
}

/** True where nothing but the page as one thing is there: its markup is too broken to be written on. */
export function isClosed(doc: Node): boolean {
  return doc.childCount === 1 && doc.firstChild?.type === schema.nodes.thing && doc.firstChild.attrs.name === 'page'
}
