import type { Mark, Node } from '@tiptap/pm/model'
import { parseFragment, type DefaultTreeAdapterTypes as Tree } from 'parse5'
import { scanLinks } from '../markup/index.ts'
import { WRAPS } from './nodes.ts'
import { isBlockElement } from './read.ts'
import { schema } from './schema.ts'
import { isUnseen, isVerbatim, openOf, sourceOf } from './source.ts'

/** Between blocks, and where a line breaks. */
const BREAK = '\u2028'
/** Something among words that is none. */
const OBJECT = '\ufffc'
/** A space that a browser shows whatever stands beside it. */
const FIRM = '\u00a0'

/**
 * Tells whether a browser reads `source` as what `nodes` show: the same words in the same blocks, and the same links.
 * The source is read by the HTML standard's parser and by the scanner of links, neither of which wrote it.
 * @param parent - what holds the nodes: rows are read as rows only in a table
 */
export function readsAs(nodes: readonly Node[], parent: Node, source: string): boolean {
  if (firm(wordsOfDoc(nodes)) !== firm(wordsOfSource(source, parent))) return false
  const written = linksOfDoc(nodes)
  const read = scanLinks(source).links.map(({ href }) => href)
  return written.length === read.length && written.every((href, index) => href === read[index])
}

/** Words as they can be compared: white space that is folded is one space, and none beside a break or at an end. */
const firm = (words: string): string =>
  words
    .replace(/[\t\n\f\r ]+/g, ' ')
    .replaceAll(FIRM, ' ')
    .replace(/[ \u2028]*\ufffc[ \u2028\ufffc]*/g, OBJECT)
    .replace(/ *\u2028[ \u2028]*/g, BREAK)
    .replace(/^[ \u2028\ufffc]+|[ \u2028\ufffc]+$/g, '')

function wordsOfDoc(nodes: readonly Node[]): string {
  return nodes
    .map((node) => {
      if (node.type === schema.nodes.thing) return BREAK + wordsOfTree(parseFragment(String(node.attrs.raw)).childNodes, false) + BREAK
      return BREAK + (node.inlineContent ? wordsOfLine(node) : wordsOfDoc(node.children)) + BREAK
    })
    .join('')
}

function wordsOfLine(line: Node): string {
  const isKept = isVerbatim(line)
  return line.children
    .map((child) => {
      if (child.isText) return shownFirm((child.text ?? '').replace(/\r\n?/g, '\n').replaceAll('\0', ''), isKept)
      if (child.type === schema.nodes.br) return BREAK
      return isUnseen(String(child.attrs.name ?? '')) ? '' : wordsOfTree(parseFragment(sourceOf(child)).childNodes, isKept)
    })
    .join('')
}

const shownFirm = (text: string, isKept: boolean): string =>
  isKept ? text.replaceAll(' ', FIRM).replaceAll('\t', FIRM).replaceAll('\n', BREAK) : text.replace(/[\t\n\f\r ]/g, FIRM)

/** Elements that only mean something in their own parent, and what is put around them to be read. */
const AROUND: Readonly<Record<string, string>> = {
  list: '<ul>',
  table: '<table>',
  part: '<table><tbody>',
  row: '<table><tbody><tr>',
}

const wordsOfSource = (source: string, parent: Node): string =>
  wordsOfTree(parseFragment((AROUND[parent.type.name] ?? '') + source).childNodes, false)

const UNREAD = new Set(['script', 'style', 'template', 'noscript', 'title', 'head'])

function wordsOfTree(nodes: readonly Tree.ChildNode[], isKept: boolean): string {
  let words = ''
  for (const node of nodes) {
    if (node.nodeName === '#text') words += isKept ? shownFirm((node as Tree.TextNode).value, true) : (node as Tree.TextNode).value
    if (!('tagName' in node) || UNREAD.has(node.tagName)) continue
    if (node.tagName === 'br') words += BREAK
    else if (isBlockElement(node)) words += BREAK + wordsOfTree(node.childNodes, node.tagName === 'pre') + BREAK
    else if (WRAPS.has(node.tagName)) words += wordsOfTree(node.childNodes, isKept)
    else words += OBJECT + wordsOfTree(node.childNodes, isKept) + OBJECT
  }
  return words
}

/** The destinations of links as a document shows them, in order. A link goes on over pieces with other formatting. */
function linksOfDoc(nodes: readonly Node[]): string[] {
  const links: string[] = []
  const take = (source: string): void => void links.push(...scanLinks(source).links.map(({ href }) => href))
  for (const node of nodes) {
    if (!node.inlineContent) {
      take(node.type === schema.nodes.thing ? String(node.attrs.raw) : openOf(node))
      links.push(...linksOfDoc(node.children))
      continue
    }
    let open: readonly Mark[] = []
    for (const child of node.children) {
      let same = 0
      while (same < open.length && same < child.marks.length && child.marks[same]?.eq(open[same] as Mark)) same++
      for (const mark of child.marks.slice(same)) take(String(mark.attrs.open))
      open = child.marks
      if (!child.isText) take(sourceOf(child))
    }
  }
  return links
}

/**
 * The same nodes without memory of the source they came from: every word is written anew, and words beside words, which
 * would run together, become paragraphs. For what would be read otherwise than it is shown.
 */
export function writtenAnew(nodes: readonly Node[]): Node[] {
  return nodes.map((node, index) => {
    if (node.isText) return schema.text(node.text ?? '', node.marks)
    if (node.isLeaf) return node
    const type = node.type === schema.nodes.bare && nodes[index - 1]?.type === schema.nodes.bare ? schema.nodes.line : node.type
    const attrs = type === node.type ? node.attrs : { lead: node.attrs.lead }
    return type?.create(attrs, writtenAnew(node.children), node.marks) ?? node
  })
}
